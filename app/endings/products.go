package endings

import (
	"encoding/json"
	"slices"
	"strconv"
	"strings"

	"omphalos/app/edit"
	"omphalos/app/store/documents"
	"omphalos/app/workbench"
	"omphalos/core/product"
	"omphalos/core/quiz"
	"omphalos/core/say"
)

// Acts returns what the controls of this room can mean.
func Acts() map[string]edit.Acting {
	return map[string]edit.Acting{
		"product.add":   addProducts,
		"product.tick":  tickProduct,
		"product.paste": pasteTicks,
	}
}

// grid is the recommended products as a grid: a row for each answer, a column for each product.
type grid struct {
	Columns []gridColumn
	Groups  []gridGroup
	Apart   int  // lines with a condition that the grid cannot show
	Width   int  // in columns
	Short   bool // questions without ticks are left out, because the grid would be long
	Large   bool // there are too many cells: no rows are drawn
}

type gridColumn struct {
	recommendation
	Name string
}

type gridGroup struct {
	Text string
	Rows []gridRow
}

type gridRow struct {
	Label string
	Cells []gridCell
}

// gridCell is a check box: the place of its product line, and the answer that it ticks.
type gridCell struct {
	At, Value, Label string
	Ticked           bool
}

// Bounds of the grid: answers that it shows, unless more are ticked, and cells that it draws.
const (
	maxGridRows  = 80
	maxGridCells = 8000
)

func gridOf(d *quiz.Document, lines []recommendation) *grid {
	g := &grid{}
	var ticks []product.Ticks
	used := map[string]bool{}
	for i, line := range lines {
		t, ok := product.Read(d, d.Recommendations.Lines[i].When)
		if !ok {
			g.Apart++
			continue
		}
		for q := range t {
			used[q] = true
		}
		ticks = append(ticks, t)
		g.Columns = append(g.Columns, gridColumn{line, chosenName(line.Products)})
	}
	g.Width = len(g.Columns) + 1
	rows, cells := 0, 0
	for i := range d.Questions {
		q := &d.Questions[i]
		if !product.InGrid(q) || len(q.Choices) == 0 {
			continue
		}
		if rows += len(q.Choices); rows > maxGridRows && !used[q.ID] {
			g.Short = true
			continue
		}
		if cells += len(q.Choices) * len(g.Columns); cells > maxGridCells {
			g.Large, g.Groups = true, nil
			return g
		}
		group := gridGroup{Text: q.Title()}
		for _, c := range q.Choices {
			row := gridRow{Label: quiz.FirstOf(c.Label, c.ID)}
			for k, column := range g.Columns {
				row.Cells = append(row.Cells, gridCell{
					At: column.Path, Value: q.ID + " " + c.ID, Ticked: slices.Contains(ticks[k][q.ID], c.ID),
					Label: column.Name + " for " + group.Text + " " + row.Label,
				})
			}
			group.Rows = append(group.Rows, row)
		}
		g.Groups = append(g.Groups, group)
	}
	return g
}

func chosenName(list []option) string {
	for _, o := range list {
		if o.Selected {
			return o.Name
		}
	}
	return ""
}

// skusOf returns the products of the catalogue, by the key in its first column.
func skusOf(tables []documents.Table) []option {
	var out []option
	if t := tableNamed(tables, catalogue); t != nil {
		for _, row := range t.Rows {
			if len(row) > 0 && row[0] != "" {
				out = append(out, option{Name: quiz.FirstOf(t.Cell(row, "name"), row[0]), Value: row[0]})
			}
		}
	}
	return out
}

// unlisted returns the products of the catalogue that no line recommends yet, as JSON; "" if there are none, or more
// than can be added together.
func unlisted(skus []option, lines []quiz.RecommendationLine) string {
	var out []string
	for _, s := range skus {
		if !slices.ContainsFunc(lines, func(l quiz.RecommendationLine) bool { return l.Product == s.Value }) {
			out = append(out, s.Value)
		}
	}
	if len(out) == 0 || len(out) > maxAdded {
		return ""
	}
	text, err := json.Marshal(out)
	if err != nil {
		panic(err) // a list of texts always has a form
	}
	return string(text)
}

// maxAdded is how many products can be added together.
const maxAdded = 100

// addProducts adds a line without a condition for each product named in value, a JSON list of keys.
func addProducts(d *quiz.Document, _ string, value json.RawMessage) (edit.Change, error) {
	var said string
	var keys []string
	if json.Unmarshal(value, &said) != nil || json.Unmarshal([]byte(said), &keys) != nil || len(keys) == 0 {
		return edit.Change{}, workbench.Refused(thereNoProductsAdd.With(), loadPageAgain.With())
	}
	if len(keys) > maxAdded {
		most := "you can add at most " + strconv.Itoa(maxAdded) + " products together"
		return edit.Change{}, workbench.Refused(say.Plain(most), addFewerProducts.With())
	}
	var out edit.Change
	for _, key := range keys {
		out.Patch = append(out.Patch, workbench.AddTo("/recommendations/lines", quiz.RecommendationLine{Product: key}))
	}
	return out, nil
}

// tickProduct ticks or unticks an answer, "question choice", for the product line at a place.
func tickProduct(d *quiz.Document, at string, value json.RawMessage) (edit.Change, error) {
	var v struct {
		Value string `json:"value"`
		In    bool   `json:"in"`
	}
	question, choice, ok := "", "", json.Unmarshal(value, &v) == nil
	if ok {
		question, choice, ok = strings.Cut(v.Value, " ")
	}
	i := d.Question(question)
	if !ok || i < 0 || d.Questions[i].Choice(choice) < 0 {
		return edit.Change{}, quiz.Gone(at)
	}
	var line quiz.RecommendationLine
	if !d.Read(at, &line) {
		return edit.Change{}, quiz.Gone(at)
	}
	ticks, ok := product.Read(d, line.When)
	if !ok {
		const why = "the grid can’t show the condition of this product"
		return edit.Change{}, workbench.Refused(say.Plain(why), changeUnderConditions.With())
	}
	ticks.Set(question, choice, v.In)
	line.When = ticks.When(d)
	return edit.Change{Patch: quiz.Patch{quiz.Set(at, line)}}, nil
}

// unticked are the words of a pasted cell that mean no tick.
var unticked = []string{"", "0", "-", "–", "no", "false", "n"}

// pasteTicks ticks and unticks a pasted block: a row for each answer from the one named on, a column for each product
// from the place on. What lies beyond the grid is left out.
func pasteTicks(d *quiz.Document, at string, value json.RawMessage) (edit.Change, error) {
	var v struct {
		From string     `json:"from"`
		Rows [][]string `json:"rows"`
	}
	list, first, ok := workbench.LineAt(at)
	if !ok || json.Unmarshal(value, &v) != nil || d.Recommendations == nil || first >= len(d.Recommendations.Lines) {
		return edit.Change{}, quiz.Gone(at)
	}
	answers := answersFrom(d, v.From)
	v.Rows = v.Rows[:min(len(v.Rows), len(answers))]
	var out edit.Change
	column := 0
	for i := first; i < len(d.Recommendations.Lines); i++ {
		line := d.Recommendations.Lines[i]
		ticks, ok := product.Read(d, line.When)
		if !ok {
			continue
		}
		for y, row := range v.Rows {
			if column < len(row) {
				word := strings.ToLower(strings.TrimSpace(row[column]))
				ticks.Set(answers[y][0], answers[y][1], !slices.Contains(unticked, word))
			}
		}
		line.When = ticks.When(d)
		out.Patch = append(out.Patch, quiz.Set(list+quiz.Pointer(i), line))
		column++
	}
	return out, nil
}

// answersFrom returns question and choice of the grid's rows from one on.
func answersFrom(d *quiz.Document, from string) [][2]string {
	var out [][2]string
	for i := range d.Questions {
		q := &d.Questions[i]
		for _, c := range q.Choices {
			if product.InGrid(q) && (len(out) > 0 || q.ID+" "+c.ID == from) {
				out = append(out, [2]string{q.ID, c.ID})
			}
		}
	}
	return out
}
