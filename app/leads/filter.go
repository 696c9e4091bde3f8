package leads

import (
	"html/template"
	"maps"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
	"omphalos/core/kind"
	"omphalos/core/quiz"
)

// tab is one of the views on the left.
type tab struct {
	Key, Title string
	Current    bool
	Address    template.URL
}

// chip is a filter that can be taken off.
type chip struct {
	Says    string
	Without template.URL
}

// filterNames are the parameters of the address that choose people.
var filterNames = []string{
	"outcome",
	"source",
	"version",
	"device",
	"country",
	"language",
	"way",
	"day",
	"since",
	"until",
	"imported",
	"deals",
	"answer",
	"range",
	"deal",
	"q",
	"aside",
	"sort",
	"columns",
}

// emptyMeans are those of them whose empty value is one of its own.
var emptyMeans = []string{"source", "device", "country", "language", "way"}

// filtered reads the filter of the address, and says it in chips.
func (v *view) filtered(query url.Values) responses.Filter {
	var f responses.Filter
	kept := url.Values{}
	for _, name := range filterNames {
		if query.Has(name) && (query.Get(name) != "" || slices.Contains(emptyMeans, name)) {
			kept.Set(name, query.Get(name))
		}
	}
	if chosen := query["column"]; len(chosen) > 0 { // of the form that chooses columns
		kept.Set("columns", strings.Join(chosen, ","))
	}
	v.kept, v.Sort = kept, sorted(kept.Get("sort"))
	v.View = query.Get("view")
	v.Filter = template.URL(kept.Encode())
	put := func(name, says string) {
		rest := url.Values{"view": {v.View}}
		maps.Copy(rest, kept)
		rest.Del(name)
		if v.View == "" {
			rest.Del("view")
		}
		v.Chips = append(v.Chips, chip{says, template.URL(rest.Encode())})
	}
	if id := kept.Get("outcome"); id != "" {
		f.Outcome = id
		put("outcome", "outcome "+v.Draft.Mark(id).Name)
	}
	fromWhere(&f, kept, put)
	if n, err := strconv.Atoi(kept.Get("version")); err == nil && n > 0 {
		f.Version = n
		put("version", "version "+strconv.Itoa(n))
	}
	if day, err := time.Parse(time.DateOnly, kept.Get("day")); err == nil {
		f.Day = kept.Get("day")
		put("day", "on "+day.Format("2 January 2006"))
	}
	f.From, f.To = dayOf(kept.Get("since"), put, "since", "since "), dayOf(kept.Get("until"), put, "until", "until ")
	switch f.Import = kept.Get("imported"); f.Import {
	case responses.OnlyImported:
		put("imported", "imported")
	case responses.NotImported:
		put("imported", "without imported")
	default:
		f.Import = ""
	}
	if field, value, ok := strings.Cut(kept.Get("answer"), ":"); ok {
		f.Answer = &responses.Answer{Field: field, Value: value}
		put("answer", answerSays(v.Draft.Doc, field, value))
	}
	if r, ok := readRange(kept.Get("range")); ok {
		f.Range = r
		put("range", v.rangeSays(r))
	}
	if state := kept.Get("deal"); state == responses.DealOpen || state == responses.DealWon ||
		state == responses.DealLost {
		f.Deal = state
		put("deal", "deal "+state)
	}
	if text := kept.Get("q"); text != "" {
		f.Search, v.Search = text, text
		put("q", "“"+text+"”")
	}
	v.tabs(kept)
	return f
}

// dayOf reads the day of a parameter, "" if it is none, and says it in a chip.
func dayOf(text string, put func(name, says string), name, before string) string {
	day, err := time.Parse(time.DateOnly, text)
	if err != nil {
		return ""
	}
	put(name, before+day.Format("2 January 2006"))
	return text
}

// Hidden returns the filters as name and value for a form, without those that the form sets itself.
func (v *view) Hidden(without ...string) [][2]string {
	var out [][2]string
	for _, name := range filterNames {
		if v.kept.Has(name) && !slices.Contains(without, name) {
			out = append(out, [2]string{name, v.kept.Get(name)})
		}
	}
	return out
}

// Since and Until return the days that the list is limited to.
func (v *view) Since() string { return v.kept.Get("since") }

// Until returns the last day.
func (v *view) Until() string { return v.kept.Get("until") }

// fromWhere reads what is known of people without asking; an empty value is one of its own.
func fromWhere(f *responses.Filter, kept url.Values, put func(name, says string)) {
	one := func(name string) *string {
		value := kept.Get(name)
		return &value
	}
	if kept.Has("source") {
		f.Source = one("source")
		put("source", "from "+quiz.FirstOf(*f.Source, "direct"))
	}
	if kept.Has("device") {
		f.Device = one("device")
		put("device", "device "+quiz.FirstOf(*f.Device, "unknown"))
	}
	if kept.Has("country") {
		f.Country = one("country")
		name := "unknown country"
		if *f.Country != "" {
			name = quiz.CountryName(*f.Country)
		}
		put("country", "in "+name)
	}
	if kept.Has("language") {
		f.Language = one("language")
		put("language", "language "+languageName(*f.Language))
	}
	if kept.Has("way") {
		f.Way = one("way")
		put("way", "reached "+quiz.FirstOf(ways[*f.Way], *f.Way))
	}
}

func languageName(code string) string {
	if code == "" {
		return "unknown"
	}
	return quiz.LanguageName(code)
}

// ways are how respondents reach a quiz, in words.
var ways = map[string]string{
	"":                "unknown",
	tallies.WayLink:   "direct link",
	tallies.WayQR:     "QR code",
	tallies.WayPage:   "inside a page",
	tallies.WayOver:   "pop-up",
	tallies.WayEdge:   "bar at the edge",
	tallies.WayInvite: "invitation",
}

// tabs are the views on the left, each with the filter kept.
func (v *view) tabs(kept url.Values) {
	for _, t := range []tab{
		{Key: "", Title: "Overview"},
		{Key: "questions", Title: "Questions"},
		{Key: "scores", Title: "Scores"},
		{Key: "won", Title: "Won deals"},
	} {
		address := maps.Clone(kept)
		if t.Key != "" {
			address.Set("view", t.Key)
		}
		t.Current, t.Address = t.Key == v.View, template.URL(address.Encode())
		v.Views = append(v.Views, t)
	}
}

// readRange reads FIELD:FROM:TO; the lowest and the highest may be left open.
func readRange(text string) (*responses.Range, bool) {
	parts := strings.Split(text, ":")
	if len(parts) != 3 {
		return nil, false
	}
	r := &responses.Range{Field: parts[0], From: math.Inf(-1), To: math.Inf(1)}
	for i, bound := range []*float64{&r.From, &r.To} {
		if parts[i+1] == "" {
			continue
		}
		n, err := strconv.ParseFloat(parts[i+1], 64)
		if err != nil || math.IsNaN(n) {
			return nil, false
		}
		*bound = n
	}
	return r, r.Field != "" && r.From < r.To
}

// rangeQuery is the parameter that readRange reads.
func rangeQuery(view, field string, from, to float64) template.URL {
	bound := func(x float64) string {
		if math.IsInf(x, 0) {
			return ""
		}
		return strconv.FormatFloat(x, 'f', -1, 64)
	}
	return template.URL(url.Values{"range": {field + ":" + bound(from) + ":" + bound(to)}, "view": {view}}.Encode())
}

// rangeSays is a range in the draft's words.
func (v *view) rangeSays(r *responses.Range) string {
	d := v.Draft.Doc
	name := r.Field
	if i := d.Question(r.Field); i >= 0 {
		name = quiz.Shorten(d.Questions[i].Title(), 40)
	} else if id, isScale := strings.CutPrefix(r.Field, "scale."); isScale && d.Scale(id) != nil {
		name = d.Scale(id).Title()
	}
	switch {
	case math.IsInf(r.From, -1):
		return name + " under " + number(r.To)
	case math.IsInf(r.To, 1):
		return name + " from " + number(r.From)
	}
	return name + " " + number(r.From) + " to under " + number(r.To)
}

// answerLink chooses those who gave an answer.
type answerLink struct {
	Says  string
	Query template.URL
}

// mostSaying is how many answers are offered to a search.
const mostSaying = 6

// answersThatSay are the answers of the draft whose words hold what is searched for: of those that were picked, no text
// stands in a response.
func answersThatSay(d *quiz.Document, search string) []answerLink {
	search = strings.ToLower(strings.TrimSpace(search))
	if search == "" {
		return nil
	}
	var out []answerLink
	for i := range d.Questions {
		q := &d.Questions[i]
		for _, c := range q.Choices {
			if kind.Of(q).About().Rows || !strings.Contains(strings.ToLower(c.Title()), search) ||
				len(out) == mostSaying {
				continue
			}
			query := url.Values{"answer": {q.ID + ":" + c.ID}}
			out = append(out, answerLink{answerSays(d, q.ID, c.ID), template.URL(query.Encode())})
		}
	}
	return out
}

// answerSays is an answer that people are chosen by, in the draft's words.
func answerSays(d *quiz.Document, field, value string) string {
	id, row, _ := strings.Cut(field, ".")
	i := d.Question(id)
	if i < 0 {
		return field + ": " + quiz.FirstOf(value, "blank")
	}
	q := &d.Questions[i]
	name := quiz.Shorten(q.Title(), 40)
	if at := q.Row(row); at >= 0 {
		name += ", " + quiz.FirstOf(q.Rows[at].Label, row)
	}
	return name + " " + quiz.FirstOf(choiceTitle(q, value), "left blank")
}

// figures makes the view on the left, and the draft tried on those who are shown.
func (h *Handler) figures(v *view, f responses.Filter, query url.Values) (err error) {
	switch v.View {
	case "questions":
		v.Questions, err = h.questions(v)
	case "scores":
		v.Scores, err = h.scores(v)
	case "won":
		v.Won, err = h.won(v)
	default:
		v.View = ""
		v.Whole, err = h.newWhole(v)
	}
	if err == nil && query.Has("replay") {
		v.Replay, err = h.replay(v, f)
	}
	return err
}
