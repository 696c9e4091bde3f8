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

// Remove takes away what is at path.
func Remove(path string) Operation { return Operation{Op: "remove", Path: path} }

// Move takes what is at from and puts it at path.
func Move(from, path string) Operation { return Operation{Op: "move", From: from, Path: path} }

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
