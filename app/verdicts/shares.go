package verdicts

import (
	"fmt"
	"html/template"
	"math"
	"slices"
	"strings"

	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/reach"
)

// shares draws what the room says about all respondents at once: the share of each line, of each band and keyword,
// the charts and the stream.
func shares(v *workbench.Counted) (map[string]template.HTML, error) {
	out := parts{}
	out.blank(v.Doc)
	if v.Report == nil {
		return out, nil
	}
	taken := sharesByLine(v.Report)
	for i := range v.Doc.Verdicts {
		if v.Doc.Verdicts[i].Off {
			out["share-"+fmt.Sprint(i+1)] = "off"
			continue
		}
		if err := out.line(v, i, taken[i+1]); err != nil {
			return nil, err
		}
	}
	for _, line := range v.Report.Verdicts {
		if line.Line == 0 {
			out["share-rest"] = text(page.Percent(line.Share))
		}
	}
	out["stream"] = draw("stream", newStream(v))
	return out, nil
}

// parts are pieces of the room, by the id of their element.
type parts map[string]template.HTML

// blank empties all pieces, for a draft that cannot be counted.
func (out parts) blank(d *quiz.Document) {
	for i := range d.Verdicts {
		n := fmt.Sprint(i + 1)
		out["share-"+n], out["note-"+n] = "", ""
		if e := editorOf(&d.Verdicts[i]); e.blank != nil {
			e.blank(out, d, i)
		}
	}
	out["share-rest"], out["stream"] = "", ""
}

// line draws what a verdict line takes; taken is by part.
func (out parts) line(v *workbench.Counted, i int, taken map[int]float64) error {
	line, n := &v.Doc.Verdicts[i], fmt.Sprint(i+1)
	out["share-"+n] = text(page.Percent(v.Report.Verdicts[i].Share))
	if e := editorOf(line); e.shares != nil {
		return e.shares(out, v, i, taken)
	}
	return nil
}

// editorOf is how a line is edited.
func editorOf(v *quiz.Verdict) editor {
	if line := v.Line(); line != nil {
		return editors[line.Name()]
	}
	return editor{}
}

func (out parts) blankBands(d *quiz.Document, i int) {
	n := fmt.Sprint(i + 1)
	out["axis-"+n] = ""
	for j := range d.Verdicts[i].Bands.Cuts {
		out[fmt.Sprintf("band-%s-%d", n, j)] = ""
	}
}

func (out parts) blankMatrix(_ *quiz.Document, i int) { out["matrix-"+fmt.Sprint(i+1)] = "" }

// bands draws what each band takes, and the chart of the number.
func (out parts) bands(v *workbench.Counted, i int, taken map[int]float64) error {
	n := fmt.Sprint(i + 1)
	for j := range v.Doc.Verdicts[i].Bands.Cuts {
		out[fmt.Sprintf("band-%s-%d", n, j)] = text(page.Percent(taken[j]))
	}
	axis, err := newAxis(v, i+1)
	if err != nil {
		out["axis-"+n] = sorry("Couldn’t draw the chart", err)
		return nil
	}
	out["axis-"+n] = draw("axis", axis)
	return nil
}

func (out parts) matrix(v *workbench.Counted, i int, _ map[int]float64) error {
	n := fmt.Sprint(i + 1)
	x, err := newCrossing(v, i+1)
	if err != nil {
		out["matrix-"+n] = sorry("Couldn’t draw the matrix", err)
		return nil
	}
	out["matrix-"+n] = draw("crossing", x)
	return nil
}

func (out parts) table(v *workbench.Counted, i int, taken map[int]float64) error {
	for r := range v.Doc.Verdicts[i].Table.Rows {
		out[fmt.Sprintf("row-%d-%d", i+1, r)] = text(page.Percent(taken[r]))
	}
	return nil
}

// leader draws what each keyword takes, and would take by other rules for ties.
func (out parts) leader(v *workbench.Counted, i int, taken map[int]float64) error {
	n := fmt.Sprint(i + 1)
	for k := range v.Doc.Keywords {
		out[fmt.Sprintf("lead-%s-%d", n, k)] = text(page.Percent(taken[k]))
	}
	out["note-"+n] = text(tieNote(v, i))
	for _, rule := range otherRules(v.Doc.Verdicts[i].Leader) {
		at := func(k int) string { return fmt.Sprintf("lead-%s-%d-%s", n, k, rule.Value) }
		for k := range v.Doc.Keywords {
			out[at(k)] = ""
		}
		if !hasTies(v, i) {
			continue
		}
		shares, err := byRule(v, i, rule.Value)
		if err != nil {
			return err
		}
		for k := range v.Doc.Keywords {
			out[at(k)] = text(page.Percent(shares[k]))
		}
	}
	return nil
}

// sorry says why a piece is not drawn.
func sorry(what string, err error) template.HTML {
	return `<p class="quiet small">` + text(what+": "+err.Error()+".") + `</p>`
}

func text(s string) template.HTML { return template.HTML(template.HTMLEscapeString(s)) }

func draw(name string, data any) template.HTML {
	return template.HTML(page.Execute(templates, name, data))
}

// sharesByLine are the shares by line and part.
func sharesByLine(r *reach.Report) map[int]map[int]float64 {
	out := map[int]map[int]float64{}
	for _, t := range r.Takes {
		if out[t.Line] == nil {
			out[t.Line] = map[int]float64{}
		}
		out[t.Line][t.Part] += t.Share
	}
	return out
}

// tieNote says why no tie is spoken of; how often there is one is a finding of its own.
func tieNote(v *workbench.Counted, i int) string {
	switch {
	case hasTies(v, i):
		return ""
	case !v.Report.Exact:
		return "The share of ties isn’t available when shares are estimated."
	}
	return "No ties are possible here."
}

func hasTies(v *workbench.Counted, i int) bool {
	at := quiz.Pointer("verdicts", i, "leader")
	return slices.ContainsFunc(
		v.Report.Findings,
		func(f reach.Finding) bool { return f.Code == "tie" && f.Where == at },
	)
}

// byRule are the shares of a leader line's keywords by another rule for ties.
func byRule(v *workbench.Counted, i int, ties string) (map[int]float64, error) {
	other := *v.Doc
	other.Verdicts = append([]quiz.Verdict{}, v.Doc.Verdicts...)
	leader := *other.Verdicts[i].Leader
	leader.Ties = ties
	other.Verdicts[i].Leader = &leader
	o := v.Options
	o.Only = true
	r, err := reach.Check(v.Context, &other, o)
	if err != nil {
		return nil, err
	}
	return sharesByLine(r)[i+1], nil
}

// stream is the cascade as one stream that narrows.
type stream struct {
	Width, Height int
	Steps         []step
}

type step struct {
	Label string
	Text  string // of its share
	Rest  string // what is left after it
	Y     int
	All   float64 // width before, in pixels
	Left  float64 // width after
	Parts []part
	Last  bool
}

type part struct {
	X, Width float64
	Mark     page.Mark
}

const (
	streamWidth = 176
	stepHeight  = 30
	stepGap     = 34
)

func newStream(v *workbench.Counted) stream {
	s := stream{Width: 300}
	left := 1.0
	y := 26
	add := func(label string, share float64, parts map[string]float64) {
		st := step{Label: label, Text: page.Percent(share), Y: y, All: left * streamWidth}
		left = math.Max(0, left-share)
		st.Left, st.Rest = left*streamWidth, page.Percent(left)
		x := st.Left
		for _, m := range v.Marks {
			if w := parts[m.ID] * streamWidth; w > 0 {
				st.Parts = append(st.Parts, part{x, w, m})
				x += w
			}
		}
		s.Steps = append(s.Steps, st)
		y += stepHeight + stepGap
	}
	byLine := map[int]map[string]float64{}
	for _, t := range v.Report.Takes {
		if byLine[t.Line] == nil {
			byLine[t.Line] = map[string]float64{}
		}
		byLine[t.Line][t.Outcome] += t.Share
	}
	branch := map[string]float64{}
	for _, e := range v.Report.Edges {
		if id, ok := strings.CutPrefix(e.To, "outcome:"); ok {
			branch[id] += e.Share
		}
	}
	lines := map[any]float64{}
	for _, l := range v.Report.Verdicts {
		lines[l.Line] = l.Share
	}
	if lines["branch"] > 0 {
		add("Branches in Script", lines["branch"], branch)
	}
	for i := range v.Doc.Verdicts {
		if !v.Doc.Verdicts[i].Off {
			add(fmt.Sprint("line ", i+1), lines[i+1], byLine[i+1])
		}
	}
	add("Everyone else", lines[0], map[string]float64{v.Doc.Otherwise: lines[0]})
	s.Steps[len(s.Steps)-1].Last = true
	s.Height = y
	return s
}
