package quiz

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// lineWords are the words for an element of each list of the document.
var lineWords = map[string]string{
	"questions": "question",
	"outcomes":  "outcome",
	"verdicts":  "verdict line",
	"scales":    "scale",
	"keywords":  "keyword",
	"computed":  "computed value",
	"choices":   "answer",
	"branches":  "branch",
	"cuts":      "cut point",
	"rows":      "row",
	"steps":     "step",
	"buttons":   "button",
	"fields":    "field",
	"sections":  "section",
	"checks":    "check",
	"messages":  "message",
	"charts":    "chart",
}

// fieldWords are the words for fields whose names say something else to people; "" for those that say nothing to them.
var fieldWords = map[string]string{
	"visible_if":   "its “asked only if” condition",
	"when":         "its condition",
	"otherwise":    "everyone else",
	"intro":        "the opening page",
	"contact":      "the contact step",
	"text":         "text",
	"alt":          "alternative text",
	"why":          "reason",
	"translations": "the texts in other languages",
	"bands":        "", "leader": "", "table": "", "matrix": "", "across": "", "down": "", "closest": "", "profiles": "",
	"all": "", "any": "", "none": "", "of": "", "at_least": "", "value": "",
	"fact": "", "": "",
}

// Place names what a JSON Pointer into the document points to, as people do: "question 2, answer 3, points".
func (d *Document) Place(pointer string) string {
	parts := strings.Split(strings.TrimPrefix(pointer, "/"), "/")
	var out []string
	for i := 0; i < len(parts); i++ {
		part, next := parts[i], ""
		if i+1 < len(parts) {
			next = parts[i+1]
		}
		line, isList := lineWords[part]
		field, known := fieldWords[part]
		switch {
		case isList && next != "":
			out = append(out, numbered(line, next))
			i++
		case part == "translations" && next != "":
			out = append(out, "the texts in "+LanguageName(next))
			i++
		case isList:
			out = append(out, part)
		case !known && !isIndex(part):
			out = append(out, strings.ReplaceAll(part, "_", " "))
		case field != "":
			out = append(out, field)
		}
	}
	if len(out) == 0 {
		return "the quiz"
	}
	return strings.Join(out, ", ")
}

// numbered names an element of a list by its index there, as people count: "question 2", or "a new question" for "-".
func numbered(word, index string) string {
	if index == "-" {
		return "a new " + word
	}
	n, err := strconv.Atoi(index)
	if err != nil {
		return word + " " + index
	}
	return word + " " + strconv.Itoa(n+1)
}

// inList reports whether a pointer names an element of a list.
func inList(pointer string) bool {
	last := pointer[strings.LastIndex(pointer, "/")+1:]
	_, err := strconv.Atoi(last)
	return err == nil || last == "-"
}

// Describe says in one line what a patch changes: "added question 4; changed the text of question 2 “Budget”".
func (d *Document) Describe(p Patch) string {
	verbs := map[string]string{
		"add":     "changed",
		"replace": "changed",
		"remove":  "removed",
		"move":    "moved",
		"copy":    "copied",
	}
	seen := map[string]bool{}
	var out []string
	fresh := ""
	for i, op := range p {
		if op.Op == "add" && !inList(op.Path) &&
			slices.ContainsFunc(p[i+1:], func(o Operation) bool { return strings.HasPrefix(o.Path, op.Path+"/") }) {
			continue // it makes room for what follows
		}
		if op.Op == "test" || fresh != "" && strings.HasPrefix(op.Path, fresh+"/") || // part of what came before
			len(out) > 0 &&
				strings.HasPrefix(op.Path, "/translations/") { // said in further languages, it comes and goes with it
			continue
		}
		verb, path := verbs[op.Op], op.Path
		switch {
		case op.Op == "move" || op.Op == "copy":
			path = op.From
		case op.Op == "add" && inList(path):
			verb = "added"
		}
		if op.Op == "copy" || verb == "added" {
			fresh = op.Path
		}
		if line := fmt.Sprintf("%s %s", verb, d.Named(path)); !seen[line] {
			seen[line] = true
			out = append(out, line)
		}
	}
	const most = 4
	if more := len(out) - most; more > 1 {
		out = append(out[:most], fmt.Sprintf("%d more", more))
	}
	return strings.Join(out, "; ")
}

// LaunchProblems finds what keeps a draft from being launched: what Validate finds, and parts that respondents would
// miss.
func (d *Document) LaunchProblems() Problems {
	ps := d.Validate()
	if len(d.Questions) == 0 {
		ps.add("/questions", addAQuestion.With(), quizHasNoQuestionsYet.With())
	}
	for i := range d.Questions {
		q, at := &d.Questions[i], Pointer("questions", i)
		if strings.TrimSpace(q.Text) == "" {
			ps.add(at+"/text", typeQuestionsText.With(), questionHasNoText.With(i+1))
		}
		for j := range q.Choices {
			if strings.TrimSpace(q.Choices[j].Label) == "" && q.Choices[j].Image == "" {
				ps.add(
					at+Pointer("choices", j, "label"),
					typeAnswerOrDelete.With(), answerQuestionEmpty.With(j+1, i+1),
				)
			}
		}
	}
	for i := range d.Outcomes {
		o, at := &d.Outcomes[i], Pointer("outcomes", i)
		e := o.Ending
		if e == nil {
			continue
		}
		if e.Kind == EndRedirect && e.URL == "" && e.Lookup == nil {
			ps.add(
				at+"/ending/url",
				typeAddressOrChangeEnding.With(), redirectsButHasNoAddress.With(o.Title()),
			)
		}
		for j, b := range e.Buttons {
			if b.Label == "" || b.URL == "" {
				ps.add(
					at+Pointer("ending", "buttons", j),
					addBothOrRemoveButton.With(), buttonOnNeedsLabelAddress.With(j+1, o.Title()),
				)
			}
		}
	}
	return ps
}
