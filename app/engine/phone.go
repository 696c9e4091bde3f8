package engine

import (
	"fmt"

	"github.com/nyaruka/phonenumbers"
)

// E164 writes a telephone number as E.164 has it (+ and at most 15 digits). Without a country code it is read as one
// of the region (ISO 3166-1 alpha-2), if there is one.
func E164(text, region string) (string, error) {
	n, err := phonenumbers.Parse(text, region)
	if err != nil || !phonenumbers.IsValidNumber(n) {
		return "", fmt.Errorf("%q isn’t a phone number", text)
	}
	return phonenumbers.Format(n, phonenumbers.E164), nil
}
