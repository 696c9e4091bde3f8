package quiz

import (
	"encoding/json"
	"strconv"
)

// Add, Remove and Move make operations of a patch. The value of Add must have a JSON form.
func Add(path string, value any) Operation {
	b, err := json.Marshal(value)
	if err != nil {
		panic(err) // a programming error: values are documents' own types
	}
	return Operation{Op: "add", Path: path, Value: b}
}

// Set puts value at path in place of what is there: a line of a list is replaced (Add would put another before it), a
// field is made or replaced.
func Set(path string, value any) Operation {
	op := Add(path, value)
	if _, last := split(path); isElement(last) {
		op.Op = "replace"
	}
	return op
}

// Test makes an edit hold only where value stands at path.
func Test(path string, value any) Operation {
	op := Add(path, value)
	op.Op = "test"
	return op
}

// Remove takes away what is at path.
func Remove(path string) Operation { return Operation{Op: "remove", Path: path} }

// Move takes what is at from and puts it at path.
func Move(from, path string) Operation { return Operation{Op: "move", From: from, Path: path} }

// Copy puts a copy of what is at from at path.
func Copy(from, path string) Operation { return Operation{Op: "copy", From: from, Path: path} }

// JSON writes operations as a JSON Patch.
func JSON(ops ...Operation) string {
	b, err := json.Marshal(Patch(ops))
	if err != nil {
		panic(err) // operations are strings and JSON already
	}
	return string(b)
}

// Unused returns prefix with the first number from 1 that is not taken as an id.
func Unused(prefix string, taken func(id string) bool) string {
	for n := 1; ; n++ {
		if id := prefix + strconv.Itoa(n); !taken(id) {
			return id
		}
	}
}
