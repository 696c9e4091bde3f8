package quiz

import "github.com/biter777/countries"

// CountryName names the country of an ISO 3166-1 alpha-2 code in English; what is no such code stands for itself.
func CountryName(code string) string {
	if c := countries.ByName(code); len(code) == 2 && c != countries.Unknown {
		return c.String()
	}
	return code
}
