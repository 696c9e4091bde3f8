package quiz

import (
	"bytes"
	"encoding/json"
	"io"

	"omphalos/core/rule"
	"omphalos/core/say"
)

// maxDepth bounds nesting, so that no condition can exhaust the stack.
const maxDepth = 64

// syntax goes through a text for what the schema cannot see: where JSON breaks off, keys that are given twice, numbers
// that are too long, and nesting that is too deep.
type syntax struct {
	dec  *json.Decoder
	path []any // of the value that is read; its text is needed only where something is wrong
	ps   Problems
}

// checkSyntax checks a text that stands at these segments of a document.
func checkSyntax(data []byte, segments ...any) Problems {
	s := &syntax{dec: json.NewDecoder(bytes.NewReader(data)), path: segments}
	s.dec.UseNumber()
	err := s.value()
	if err == nil {
		if _, err = s.dec.Token(); err == nil {
			s.ps.add("", useOneFilePerDocument.With(), thereMoreTextAfterEnd.With())
		}
	}
	if err != nil && err != io.EOF || len(s.ps) == 0 && err == io.EOF && !json.Valid(data) {
		line, column := position(data, s.dec.InputOffset())
		s.ps.add(
			"",
			fixFileAtPlaceOr.With(), isntValidJSONLineColumn.With(line, column, err),
		)
	}
	return s.ps
}

// value reads one value; io.EOF ends the reading, as nothing more is to be told.
func (s *syntax) value() error {
	if s.ps.full() {
		return io.EOF
	}
	if len(s.path) > maxDepth {
		s.ps.add(
			Pointer(s.path...),
			useFewerLevelsConditionsWithin.With(), conditionsNestedMoreThanLevels.With(maxDepth),
		)
		return io.EOF
	}
	token, err := s.dec.Token()
	if err != nil {
		return err
	}
	switch token := token.(type) {
	case json.Delim:
		return s.readValues(token == '{')
	case json.Number:
		if _, err := rule.ParseNumber(token.String()); err != nil {
			s.ps.add(Pointer(s.path...), useFewerDigits.With(), say.Of(err))
		}
	}
	return nil
}

// readValues reads the values of an object or a list, and its end.
func (s *syntax) readValues(object bool) error {
	seen := map[any]bool{}
	for i := 0; s.dec.More(); i++ {
		var below any = i
		if object {
			var err error
			if below, err = s.dec.Token(); err != nil {
				return err
			}
		}
		s.path = append(s.path, below)
		if object {
			if seen[below] {
				s.ps.add(Pointer(s.path...), keepOneThem.With(), fieldAppearsTwice.With())
			}
			seen[below] = true
		}
		if err := s.value(); err != nil {
			return err
		}
		s.path = s.path[:len(s.path)-1]
	}
	_, err := s.dec.Token()
	return err
}

func position(data []byte, offset int64) (line, column int) {
	before := data[:min(int(offset), len(data))]
	return 1 + bytes.Count(before, []byte("\n")), len(before) - bytes.LastIndexByte(before, '\n')
}
