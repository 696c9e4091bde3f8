package edit

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"omphalos/app/store/responses"
	"omphalos/core/rule"
)

var currency = regexp.MustCompile(`^[A-Z]{3}$`)

// ReadDeal reads what came of a response; the error is a sentence.
func ReadDeal(state, amount, code string) (responses.Deal, error) {
	d := responses.Deal{
		State:    strings.ToLower(strings.TrimSpace(state)),
		Amount:   strings.TrimSpace(amount),
		Currency: strings.ToUpper(strings.TrimSpace(code)),
	}
	switch d.State {
	case "1":
		d.State = responses.DealWon
	case "0":
		d.State = responses.DealLost
	}
	if !slices.Contains([]string{"", responses.DealOpen, responses.DealWon, responses.DealLost}, d.State) {
		return d, fmt.Errorf("“%s” isn’t a deal state: use open, won or lost", state)
	}
	if d.Amount != "" {
		n, err := rule.ParseNumber(strings.NewReplacer(" ", "", "'", "").Replace(d.Amount))
		if err != nil || n.Sign() < 0 {
			return d, fmt.Errorf("“%s” isn’t an amount: type it like 12400 or 12400.50", amount)
		}
		d.Amount = n.String()
	}
	if d.Currency != "" && !currency.MatchString(d.Currency) {
		return d, fmt.Errorf("“%s” isn’t a currency: use three letters, such as EUR", code)
	}
	return d, nil
}
