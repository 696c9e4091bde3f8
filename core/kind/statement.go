package kind

import (
	"errors"
	"math/big"
	"math/rand/v2"
)

// Statement is the kind of a page that asks nothing.
const Statement Name = "statement"

type statement struct{ common }

func (statement) About() *About { return &aboutStatement }

var aboutStatement = About{Name: Statement, Words: "statement", Hints: []string{"statement"}, Silent: true}

func (statement) Read(*Question, func(string) []string) (Answer, error) { return Answer{}, nil }

func (statement) Missing(*Question, Answer) *FieldError { return nil }

func (statement) Take(_ *Question, g Given) (Answer, error) {
	if !g.blank() {
		return Answer{}, errors.New("a statement can’t be answered")
	}
	return Answer{}, nil
}

func (statement) Facts(*Question) []Fact { return nil }

func (statement) Options(l *Listing) ([]Option, bool, error) {
	return []Option{{P: 1, N: one, Effect: l.Gives(Answer{})}}, false, nil
}

func (statement) Count(*Listing) *big.Int { return one }

func (statement) Draw(*Listing, *rand.Rand) func() Answer {
	return func() Answer { return Answer{} }
}

func (statement) Fresh() []Fresh {
	return []Fresh{form("Statement", func() Question { return Question{Kind: Statement} })}
}
