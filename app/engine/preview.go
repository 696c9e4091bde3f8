package engine

import (
	"slices"

	"omphalos/app/store/documents"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// Preview is a page of a draft as respondents would see it: the ending of an outcome, or with "" the first page of
// questions. in is someone who ends there, nil where no one is known: then texts show their fallbacks. nonce is that
// of the style sheet within the page. Nothing is stored. It is nil while the draft has no such page.
func (e *Engine) Preview(q *documents.Quiz, outcome string, in *walk.Input, nonce string) (*Reply, error) {
	d, err := quiz.ReadStored(q.Document)
	if err != nil {
		return nil, err
	}
	tables, err := e.store.Documents.Tables(q.ID)
	if err != nil {
		return nil, err
	}
	if len(d.Outcomes) == 0 {
		return nil, nil
	}
	s, err := bare(q.ID, "", 0, d, tables)
	if err != nil { // unfinished: what does not depend on the rest can be shown all the same
		rest := &quiz.Document{
			Name:      d.Name,
			Language:  d.Language,
			Outcomes:  withoutCharts(d.Outcomes),
			Otherwise: d.Outcomes[0].ID,
			Settings:  d.Settings,
			Theme:     d.Theme,
		}
		if s, err = bare(q.ID, "", 0, rest, tables); err != nil {
			return nil, err
		}
		in = nil
	}
	s.Languages, s.nonce = languagesOf(d), nonce
	if o := s.Doc.Outcome(outcome); o != nil {
		return s.previewEnding(o, in), nil
	}
	if outcome != "" || len(s.Doc.Questions) == 0 {
		return nil, nil
	}
	g := s.groups[0]
	p := &Place{Answers: map[string]walk.Answer{}, At: s.Doc.Questions[g.from].ID}
	list := s.askedQuestions(p, g)
	if len(list) == 0 {
		list = []int{g.from}
	}
	return pageReply("ask", s.Ask(Screen{S: s, Done: "120"}, p, list)), nil
}

// withoutCharts are outcomes that show no figures: no one is known who has some, and a chart may be what is wrong.
func withoutCharts(list []quiz.Outcome) []quiz.Outcome {
	out := slices.Clone(list)
	for i := range out {
		if e := out[i].Ending; e != nil && len(e.Charts) > 0 {
			plain := *e
			plain.Charts = nil
			out[i].Ending = &plain
		}
	}
	return out
}

// previewEnding is an ending as someone gets it.
func (s *Source) previewEnding(o *quiz.Outcome, in *walk.Input) *Reply {
	source := fill.Source{Doc: s.Doc, File: func(string) string { return "#" }}
	screen := Screen{S: s, Done: "1000"}
	if in != nil {
		res := s.walk.Walk(*in)
		source.Input, source.Result, source.Lead = withoutTyped(*in), res, "example"
		if s.Doc.Settings.ShowScore {
			screen.Score = scores(s.Doc, res)
		}
		if s.Doc.Settings.Review == "end" {
			screen.Review = s.review(
				&Place{Answers: in.Answers, Visitor: in.Visitor, Params: in.Params},
				group{0, len(s.Doc.Questions)},
			)
		}
	}
	if retakes(s.Doc) != 0 {
		screen.Retake = "#"
	}
	s.ending(&screen, o, source)
	if o.Ending != nil { // one that has no address yet is shown too: it is typed in place
		screen.Buttons = nil
		for _, b := range o.Ending.Buttons {
			label := quiz.FirstOf(fill.Text(b.Label, source.Reading, fill.Plain), "…")
			screen.Buttons = append(screen.Buttons, quiz.Button{Label: label, URL: "#"})
		}
	}
	if e := o.Ending; e != nil && e.Kind == quiz.EndRedirect {
		screen.To, _ = s.address(e, source)
		if screen.Delay = e.Delay; e.Delay == 0 {
			return pageReply("sent", screen)
		}
		return pageReply("leaving", screen)
	}
	return pageReply("end", screen)
}

// withoutTyped leaves out what someone would type, which is not known: fallbacks show.
func withoutTyped(in walk.Input) walk.Input {
	answers := map[string]walk.Answer{}
	for id, a := range in.Answers {
		if a.Text == "" {
			answers[id] = a
		}
	}
	in.Answers = answers
	return in
}
