package script

import (
	"slices"

	"omphalos/app/kinds"
	"omphalos/app/workbench"
	"omphalos/core/kind"
	"omphalos/core/quiz"
)

// settings are everything that can be set of one question, opened below it.
type settings struct {
	*quiz.Question
	About      *kind.About
	Path       string
	Number     int
	Scored     bool
	Answerable bool
	Sections   []kindOption
	Ends       bool
	AddEnds    string
	DropEnds   string
	Picture    workbench.Picture
	Flow       workbench.Flow
	Answers    []answer
	FromTable  string // patch: the answers come from a table
	OwnAgain   string // patch: they are typed one by one again
}

// Set names the template of what can be set of its kind alone; "" for nothing.
func (s *settings) Set() string { return kinds.Settings(s.Kind) }

// answer is what can be set of one answer.
type answer struct {
	*quiz.Choice
	Path    string
	Picture workbench.Picture
}

func settingsOf(d *quiz.Document, i int) *settings {
	q, at := &d.Questions[i], d.At("questions", i)
	s := &settings{
		Question:   q,
		Path:       at,
		Number:     i + 1,
		Flow:       workbench.NewFlow(d, i),
		Ends:       len(q.Ends) == 2,
		About:      kind.Of(q).About(),
		Answerable: !kind.Of(q).About().Silent,
		Scored:     kind.Of(q).About().Scores(),
		Picture: workbench.Picture{
			Path:    at,
			Image:   q.Image,
			Alt:     q.Alt,
			Credit:  q.Credit,
			Credits: true,
		},
		AddEnds:  patch(add(at+"/ends", []string{"", ""})),
		DropEnds: patch(remove(at + "/ends")),
	}
	s.Sections = append(
		s.Sections,
		kindOption{Name: "None", Selected: q.Section == "", Patch: patch(remove(at + "/section"))},
	)
	if q.Section == "" {
		s.Sections[0].Patch = ""
	}
	for _, sec := range d.Sections {
		s.Sections = append(
			s.Sections,
			kindOption{Name: quiz.FirstOf(sec.Heading, sec.ID), Value: sec.ID, Selected: sec.ID == q.Section},
		)
	}
	fresh := quiz.Section{ID: quiz.Unused("part", func(id string) bool {
		return slices.ContainsFunc(d.Sections, func(s quiz.Section) bool { return s.ID == id })
	})}
	fresh.Heading = "Section " + fresh.ID[4:]
	ops := []quiz.Operation{workbench.AddTo("/sections", fresh), add(at+"/section", fresh.ID)}
	for n := i + 1; n < len(d.Questions) && d.Questions[n].Section == q.Section; n++ {
		ops = append(
			ops,
			add(d.At("questions", n, "section"), fresh.ID),
		) // it continues until another section begins
	}
	s.Sections = append(s.Sections, kindOption{Name: "New section starting here", Patch: patch(ops...)})
	if kind.OfOne(q) && q.ChoicesFrom == nil {
		ops := []quiz.Operation{add(at+"/choices_from", quiz.ChoicesFrom{Table: "places", Label: "name"})}
		if q.Choices != nil {
			ops = append(ops, remove(at+"/choices"))
		}
		s.FromTable = patch(ops...)
	} else if q.ChoicesFrom != nil {
		s.OwnAgain = patch(remove(at+"/choices_from"), add(at+"/choices", []quiz.Choice{{ID: "a1"}, {ID: "a2"}}))
	}
	for j := range q.Choices {
		c, place := &q.Choices[j], d.Below(at, "choices", j)
		s.Answers = append(s.Answers, answer{c, place, workbench.Picture{Path: place, Image: c.Image, Alt: c.Alt}})
	}
	return s
}

// wholeView is what can be set of the whole quiz.
type wholeView struct {
	Spoken     []workbench.Option // the languages that the quiz can be in
	Pages      []kindOption
	Review     []kindOption
	Params     []string
	Settings   quiz.Settings
	Advance    bool
	Currencies []string // codes of ISO 4217 that are often used
}

// currencies are offered first; any other code can be typed.
var currencies = []string{"EUR", "GBP", "USD", "CHF", "DKK", "SEK", "NOK", "PLN", "CZK", "HUF", "RON", "CAD", "AUD", "NZD", "JPY", "INR", "BRL", "ZAR"}

func wholeRow(d *quiz.Document) wholeView {
	v := wholeView{
		Spoken:   spokenMenu(d.Language),
		Settings: d.Settings, Currencies: currencies,
		Advance: d.Settings.AutoAdvance == nil || *d.Settings.AutoAdvance,
	}
	offer := func(field, current, usual string, list [][2]string) []kindOption {
		var out []kindOption
		for _, o := range list {
			chosen := o[0] == quiz.FirstOf(current, usual)
			out = append(out, kindOption{Name: o[1], Value: o[0], Selected: chosen})
		}
		return out
	}
	v.Pages = offer("pages", d.Settings.Pages, "one_question", [][2]string{
		{
			"one_question",
			"One question per page",
		}, {"sections", "One section per page"}, {"single_page", "All questions on one page"}})
	v.Review = offer("review", d.Settings.Review, "never", [][2]string{
		{"never", "Never"}, {"each_page", "After each page"}, {"end", "At the end"}})
	v.Params = d.Params
	return v
}
