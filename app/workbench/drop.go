package workbench

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// drop deletes the element at a place, with what belongs to it alone, and says what went and what used it.
func drop(d *quiz.Document, at string, _ json.RawMessage) (edit.Change, error) {
	parts := strings.Split(strings.TrimPrefix(at, "/"), "/")
	n := -1
	if len(parts) > 1 {
		if i, err := strconv.Atoi(parts[1]); err == nil {
			n = i
		}
	}
	name := page.Upper(d.Named(at))
	switch {
	case len(parts) == 2 && n >= 0 && parts[0] == "questions":
		id := d.Questions[n].ID
		points, votes := countPoints(d.Questions[n : n+1])
		went := joinNames(name, amount(points, "point"), amount(votes, "vote"))
		return edit.Change{Patch: DropQuestion(d, n), Said: deletionNote(d, went, at, "answer."+id, "question:"+id, "{"+id)}, nil
	case len(parts) == 2 && n >= 0 && (parts[0] == "scales" || parts[0] == "keywords"):
		return dropColumn(d, parts[0], n), nil
	case len(parts) == 2 && n >= 0 && parts[0] == "outcomes":
		id := d.Outcomes[n].ID
		return edit.Change{Patch: quiz.Patch{quiz.Remove(at)}, Said: deletionNote(d, name, at, "outcome:"+id, "="+id)}, nil
	case len(parts) == 2 && n >= 0 && parts[0] == "computed":
		id := "computed." + d.Computed[n].ID
		return edit.Change{Patch: quiz.Patch{quiz.Remove(at)}, Said: deletionNote(d, name, at, id)}, nil
	case len(parts) == 2 && n >= 0 && parts[0] == "sections":
		return edit.Change{Patch: DropSection(d, n), Said: name + " removed. Its questions stay."}, nil
	case len(parts) == 4 && n >= 0 && parts[2] == "choices":
		return dropChoice(d, n, at, name), nil
	}
	return edit.Change{Patch: quiz.Patch{quiz.Remove(at)}, Said: name + " deleted."}, nil
}

// dropChoice deletes an answer, and where the focus goes then.
func dropChoice(d *quiz.Document, n int, at, name string) edit.Change {
	q := &d.Questions[n]
	j, err := strconv.Atoi(at[strings.LastIndexByte(at, '/')+1:])
	if err != nil || j >= len(q.Choices) {
		return edit.Change{Patch: quiz.Patch{quiz.Remove(at)}}
	}
	only := quiz.Question{Choices: q.Choices[j : j+1]}
	points, votes := countPoints([]quiz.Question{only})
	out := edit.Change{
		Patch: quiz.Patch{quiz.Remove(at)},
		Said:  joinNames(name, amount(points, "point"), amount(votes, "vote")) + " deleted.",
	}
	if next := j + 1; next < len(q.Choices) {
		out.Focus = d.At("questions", n, "choices", next) + "/label"
	} else if j > 0 {
		out.Focus = d.At("questions", n, "choices", j-1) + "/label"
	}
	return out
}

// DropQuestion returns the edit that removes a question, the branches that lead to it, and what checks say of it.
func DropQuestion(d *quiz.Document, i int) quiz.Patch {
	var ops quiz.Patch
	id := d.Questions[i].ID
	for n := range d.Questions {
		for b := len(d.Questions[n].Branches) - 1; b >= 0; b-- {
			if d.Questions[n].Branches[b].Go == "question:"+id {
				ops = append(ops, quiz.Remove(quiz.Pointer("questions", n, "branches", b)))
			}
		}
	}
	for n := range d.Checks {
		c := &d.Checks[n]
		if _, answered := c.Answers[id]; answered {
			ops = append(ops, quiz.Remove(quiz.Pointer("checks", n, "answers", id)))
		}
		if at := slices.Index(c.Expect.Path, id); at >= 0 {
			ops = append(ops, quiz.Remove(quiz.Pointer("checks", n, "expect", "path", at)))
		}
	}
	return append(ops, quiz.Remove(quiz.Pointer("questions", i)))
}

// DropSection returns the edit that removes a section; its questions stay.
func DropSection(d *quiz.Document, at int) quiz.Patch {
	var ops quiz.Patch
	for i := range d.Questions {
		if d.Questions[i].Section == d.Sections[at].ID {
			ops = append(ops, quiz.Remove(quiz.Pointer("questions", i, "section")))
		}
	}
	return append(ops, quiz.Remove(quiz.Pointer("sections", at)))
}

// dropColumn removes a scale or keyword with every point or vote given to it.
func dropColumn(d *quiz.Document, list string, i int) edit.Change {
	group, id, title, unit := "votes", "", "", "vote"
	if list == "scales" {
		group, id, title, unit = "points", d.Scales[i].ID, d.Scales[i].Title(), "point"
	} else {
		id, title = d.Keywords[i].ID, d.Keywords[i].Title()
	}
	var ops quiz.Patch
	count := 0
	take := func(at string, points, votes map[string]rule.Number) {
		from := points
		if group == "votes" {
			from = votes
		}
		if _, has := from[id]; has {
			ops = append(ops, quiz.Remove(at+quiz.Pointer(group, id)))
			count++
		}
	}
	for n := range d.Questions {
		q := &d.Questions[n]
		for c := range q.Choices {
			take(quiz.Pointer("questions", n, "choices", c), q.Choices[c].Points, q.Choices[c].Votes)
		}
		for s := range q.Steps {
			take(quiz.Pointer("questions", n, "steps", s), q.Steps[s].Points, q.Steps[s].Votes)
		}
		if _, has := q.Linear[id]; has && group == "points" {
			ops = append(ops, quiz.Remove(quiz.Pointer("questions", n, "linear", id)))
			count++
		}
	}
	at := quiz.Pointer(list, i)
	went := joinNames("Column “"+title+"”", amount(count, unit))
	names := []string{"scale." + id, "percent." + id, "percentile." + id}
	if list == "keywords" {
		names = []string{"keyword." + id, "#" + id}
	}
	return edit.Change{Patch: append(ops, quiz.Remove(at)), Said: deletionNote(d, went, at, names...)}
}

// countPoints counts the points and votes that questions give.
func countPoints(list []quiz.Question) (points, votes int) {
	for i := range list {
		q := &list[i]
		for _, c := range q.Choices {
			points, votes = points+len(c.Points), votes+len(c.Votes)
		}
		for _, s := range q.Steps {
			points, votes = points+len(s.Points), votes+len(s.Votes)
		}
		points += len(q.Linear)
	}
	return points, votes
}

func amount(n int, unit string) string {
	if n == 0 {
		return ""
	}
	return page.Plural(n, unit, unit+"s")
}

// joinNames joins a thing and what went with it: "Column “Fit” and 14 points".
func joinNames(thing string, more ...string) string {
	list := []string{thing}
	for _, m := range more {
		if m != "" {
			list = append(list, m)
		}
	}
	if len(list) == 1 {
		return thing
	}
	last := len(list) - 1
	return strings.Join(list[:last], ", ") + " and " + list[last]
}

// deletionNote says what was deleted, and what used it and now names something that is not there.
func deletionNote(d *quiz.Document, went, at string, names ...string) string {
	users := mentions(d, at, names)
	if len(users) == 0 {
		return went + " deleted."
	}
	return fmt.Sprintf("%s deleted. Still used by: %s.", went, strings.Join(users, ", "))
}

// maxUsers is how many users of something are named.
const maxUsers = 4

// mentions names what mentions one of the names, outside of a place: verdict lines, messages, texts. A name that begins
// with "=" is a whole value, one that begins with "#" a key.
func mentions(d *quiz.Document, outside string, names []string) []string {
	var out []string
	var whole any
	if !d.Read("", &whole) {
		return nil
	}
	root, _ := whole.(map[string]any)
	add := func(pointer string) {
		if name := d.Named(pointer); !slices.Contains(out, name) {
			out = append(out, name)
		}
	}
	for _, part := range slices.Sorted(maps.Keys(root)) {
		if part == "format" || part == "name" || part == "translations" {
			continue
		}
		list, isList := root[part].([]any)
		if !isList {
			if mentioned(root[part], names) {
				add("/" + part)
			}
			continue
		}
		for i, element := range list {
			if at := quiz.Pointer(part, i); at != outside && mentioned(element, names) {
				add(at)
			}
		}
	}
	if more := len(out) - maxUsers; more > 1 {
		out = append(out[:maxUsers], fmt.Sprintf("%d more", more))
	}
	return out
}

func mentioned(node any, names []string) bool {
	switch node := node.(type) {
	case map[string]any:
		for key, value := range node {
			if key == "id" || key == "points" || key == "votes" {
				continue
			}
			if slices.Contains(names, "#"+key) || mentioned(value, names) {
				return true
			}
		}
	case []any:
		return slices.ContainsFunc(node, func(v any) bool { return mentioned(v, names) })
	case string:
		for _, name := range names {
			if node == name || "="+node == name || len(name) > 2 && containsWord(node, name) {
				return true
			}
		}
	}
	return false
}

// containsWord reports whether a text holds a name that does not continue behind it.
func containsWord(text, name string) bool {
	for rest := text; ; {
		i := strings.Index(rest, name)
		if i < 0 {
			return false
		}
		rest = rest[i+len(name):]
		if rest == "" || !strings.ContainsRune("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_-", rune(rest[0])) {
			return true
		}
	}
}
