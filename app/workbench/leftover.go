package workbench

import (
	"encoding/json"
	"reflect"

	"omphalos/core/quiz"
)

// A new quiz begins with an outcome, as it needs one for everyone else, and with a scale. Once something of the
// person's own takes its place, what was never touched goes.

// WithoutLeftover takes the outcome that a new quiz began with away in an edit that makes the first real one, if no one
// has touched it and only everyone else leads to it: they go to the new one then.
func WithoutLeftover(d *quiz.Document, patch quiz.Patch) quiz.Patch {
	if !untouchedOutcome(d) || d.Otherwise != d.Outcomes[0].ID {
		return patch
	}
	at := quiz.Pointer("outcomes", 0)
	for _, user := range mentions(d, at, []string{"outcome:" + d.Outcomes[0].ID, "=" + d.Outcomes[0].ID}) {
		if user != d.Named("/otherwise") {
			return patch
		}
	}
	for _, op := range patch {
		var o quiz.Outcome
		if op.Op == "add" && op.Path == "/outcomes/-" && json.Unmarshal(op.Value, &o) == nil {
			return append(patch, quiz.Set("/otherwise", o.ID), quiz.Remove(d.Ref(at)))
		}
	}
	return patch
}

// WithoutScore takes the scale that a new quiz began with away in an edit that makes the first keyword, if no one has
// touched it.
func WithoutScore(d *quiz.Document, patch quiz.Patch) quiz.Patch {
	if len(d.Keywords) > 0 || !untouchedScale(d) {
		return patch
	}
	return append(patch, quiz.Remove(d.At("scales", 0)))
}

// untouchedScale reports whether the only scale is the one that a new quiz begins with, and nothing counts for it.
func untouchedScale(d *quiz.Document) bool {
	begun := quiz.New("").Scales
	if len(d.Scales) != 1 || len(begun) != 1 || !reflect.DeepEqual(d.Scales[0], begun[0]) {
		return false
	}
	points, _ := countPoints(d.Questions)
	id := d.Scales[0].ID
	return points == 0 && len(mentions(d, "/scales/0", []string{"scale." + id, "percent." + id})) == 0
}

// untouchedOutcome reports whether the only outcome is the one that a new quiz begins with, and is as it began.
func untouchedOutcome(d *quiz.Document) bool {
	begun := quiz.New("").Outcomes
	return len(d.Outcomes) == 1 && len(begun) == 1 && reflect.DeepEqual(d.Outcomes[0], begun[0])
}
