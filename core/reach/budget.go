package reach

import (
	"context"
	"errors"
	"time"
)

// Budgets in transitions, for each pass.
const (
	EditBudget   = 1_000_000
	DemandBudget = 16_000_000
)

// Budgets of one check, when its options name none. They are spent together by all its passes. Whichever is spent
// first, the simulation takes over for what has not been counted, and says so.
const (
	countingTime   = 10 * time.Second // until counting is given up
	simulatingTime = 3 * time.Second  // until a simulation makes do with those whom it has drawn so far
	countingMemory = 192 << 20        // bytes of states and of what they lead to
)

// What preparing a count may take before the first state is made. A usual quiz of 60 questions needs a hundredth.
const (
	maxRaw      = 1 << 17 // answers of one question that can be told apart
	maxNumbers  = 1 << 20 // points and votes of all answers together
	maxStarts   = 1 << 16 // combinations of visitor facts
	maxNodes    = 1 << 18 // what is left of all conditions, in nodes of the forest
	maxPlanned  = 96 << 20
	looksUpFrom = 1 << 10 // how many steps go by between two looks at the context
)

var errBudget = errors.New("there are too many combinations to calculate exactly")

// beyond reports whether an error means that counting is too much, so that simulation takes over.
func beyond(err error) bool {
	for _, e := range []error{errBudget, errTooLarge, errManyConditions, errManyAnswers} {
		if errors.Is(err, e) {
			return true
		}
	}
	return false
}

// spend is what a pass may use up.
type spend struct {
	transitions int
	bytes       int64
}

// counting is the context of the exact part of a check: it ends when the time for that is up.
func (o *Options) counting(ctx context.Context) (context.Context, context.CancelFunc) {
	if o.Budget == 0 {
		o.Budget = DemandBudget
	}
	if o.Patience == 0 {
		o.Patience = countingTime
	}
	return context.WithTimeout(ctx, o.Patience)
}

// late is errBudget once the time for counting is up, and the error of the whole check once that is given up.
func late(whole, counting context.Context) error {
	if err := whole.Err(); err != nil {
		return err
	}
	if counting.Err() != nil {
		return errBudget
	}
	return nil
}
