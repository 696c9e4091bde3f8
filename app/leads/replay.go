package leads

import (
	"html/template"
	"slices"

	"omphalos/app/page"
	"omphalos/app/store/responses"
	"omphalos/core/insight"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// replayView is where the people who are shown would end in the draft.
type replayView struct {
	Rows, Moved, Unusable int
	Newest                bool // there are more than were looked at
	Broken                bool // the draft cannot be walked
	Moves                 []replayMove
	Stream                template.HTML
	Because               []quiz.Difference // what the draft has otherwise
}

// replayMove is one way in which people would end elsewhere, with the first of them.
type replayMove struct {
	flow
	People []movedPerson
}

type movedPerson struct{ ID, Name string }

// mostMoved is how many people of one way are named.
const mostMoved = 6

func (h *Handler) replay(v *view, f responses.Filter) (*replayView, error) {
	d := v.Draft
	draft, err := walk.New(d.Doc)
	if err != nil {
		return &replayView{Broken: true}, nil // the frame says what to fix
	}
	var replay insight.Replay
	people := map[[2]string][]movedPerson{}
	ways := map[[2]string]int{}
	n := 0
	for r, err := range h.Store.Responses.Reader(d.Quiz.ID, responses.Genuine).Only(f).Lean().Newest() {
		if err != nil {
			return nil, err
		}
		a, err := r.Answered()
		if err != nil {
			return nil, err
		}
		n++
		if in := inputOf(d, a); draft.Takes(in.Answers) {
			way := [2]string{a.Outcome, draft.Walk(in).Outcome}
			replay.Add(n, way[0], way[1])
			if ways[way]++; way[0] != way[1] && len(people[way]) < mostMoved {
				people[way] = append(people[way], movedPerson{r.ID, quiz.FirstOf(r.Name, r.Email, "someone")})
			}
		} else {
			replay.Unusable(n)
		}
		if n == mostLearned {
			break
		}
	}
	got := replay.Replayed()
	out := &replayView{
		Rows:     got.Rows,
		Moved:    got.Moved,
		Unusable: len(got.Unusable),
		Newest:   n == mostLearned,
		Because:  d.Changes[:min(5, len(d.Changes))],
	}
	for _, m := range got.Moves {
		out.Moves = append(
			out.Moves,
			replayMove{flow{d.Mark(m.From), d.Mark(m.To), m.Count}, people[[2]string{m.From, m.To}]},
		)
	}
	if got.Moved > 0 {
		out.Stream = drawSteps(v, ways)
	}
	return out, nil
}

// drawSteps draws all ways, over the outcomes of the draft and those that are gone from it.
func drawSteps(v *view, ways map[[2]string]int) template.HTML {
	marks := slices.Clone(v.Draft.Marks)
	var flows []flow
	for way, n := range ways {
		for _, id := range way {
			if !slices.ContainsFunc(marks, func(m page.Mark) bool { return m.ID == id }) {
				marks = append(marks, v.Draft.Mark(id))
			}
		}
		flows = append(flows, flow{v.Draft.Mark(way[0]), v.Draft.Mark(way[1]), n})
	}
	return streamChart(marks, flows)
}
