package exchange

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"

	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/app/words"
	"omphalos/core/quiz"
	"omphalos/core/sheet"
)

// incoming is what someone brought: the quiz that would be, and what could not be read.
type incoming struct {
	Kind   string // text, sheet, texts (in other languages), quiz
	Next   *quiz.Document
	Faults []string
	Whole  bool // it replaces everything, not the questions alone
}

// read tells what a text or file is by its content and reads it into the quiz, which stays as it is.
func read(d *quiz.Document, data []byte) incoming {
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	switch {
	case bytes.HasPrefix(data, []byte("PK\x03\x04")):
		table, err := readXLSX(data, bounds)
		if err != nil {
			return incoming{Kind: "sheet", Next: d, Faults: []string{page.Sentence(err)}}
		}
		return readTable(d, table)
	case !utf8.Valid(data):
		return incoming{
			Kind: "text",
			Next: d,
			Faults: []string{
				"Omphalos can’t read this file. Save it as CSV (UTF-8), XLSX, JSON or plain text.",
			},
		}
	case bytes.HasPrefix(bytes.TrimSpace(data), []byte("{")):
		return readQuiz(d, data)
	}
	if comma, ok := separator(data); ok {
		table, faults := sheet.NewCSV(data, comma).All(bounds.Cells)
		in := readTable(d, table)
		for _, f := range slices.Backward(faults) {
			in.Faults = slices.Insert(in.Faults, 0, f.Error())
		}
		return in
	}
	return readText(d, string(data))
}

func readQuiz(d *quiz.Document, data []byte) incoming {
	in := incoming{Kind: "quiz", Next: d, Whole: true}
	next, err := quiz.ReadDraft(data)
	var ps quiz.Problems
	switch {
	case errors.As(err, &ps):
		for _, p := range ps {
			in.Faults = append(in.Faults, p.Error())
		}
	case err != nil:
		in.Faults = []string{err.Error()}
	default:
		in.Next = next
		for _, p := range edit.CheckImport(next) {
			in.Faults = append(in.Faults, p.Error())
		}
	}
	return in
}

// buttons are the words of buttons and messages, as respondents of the quiz's own language read them.
func buttons(d *quiz.Document) []sheet.Word {
	said := words.Own(d)
	var out []sheet.Word
	for _, key := range words.Keys() {
		out = append(out, sheet.Word{Key: key, Said: said[key]})
	}
	return out
}

func readTable(d *quiz.Document, table [][]string) incoming {
	kind, parse := "sheet", sheet.Read
	if sheet.IsTexts(table) {
		kind, parse = "texts", func(d *quiz.Document, table [][]string) (*quiz.Document, []sheet.Fault) {
			return sheet.ReadTexts(d, table, buttons(d)...)
		}
	}
	next, faults := parse(d, table)
	in := incoming{Kind: kind, Next: next}
	for _, f := range faults {
		in.Faults = append(in.Faults, f.Error())
	}
	return in
}

// readText adds the questions of a pasted text at the end; a quiz that is still empty takes its name, sections and
// opening page too.
func readText(d *quiz.Document, text string) incoming {
	scale := "Score"
	if len(d.Scales) > 0 {
		scale = d.Scales[0].Title()
	}
	pasted, faults := sheet.ParseText(text, scale)
	in := incoming{Kind: "text"}
	for _, f := range faults {
		in.Faults = append(in.Faults, f.Error())
	}
	next := *d
	if len(d.Questions) == 0 {
		next.Questions, next.Sections = pasted.Questions, pasted.Sections
		next.Scales, next.Keywords = pasted.Scales, pasted.Keywords
		if pasted.Intro != nil {
			next.Intro = pasted.Intro
		}
		in.Next = &next
		return in
	}
	in.Next = &next
	for i := range pasted.Questions {
		text, err := marshal(in.Next)
		if err == nil {
			var edited *quiz.Edited
			if edited, err = quiz.Edit(text, quiz.Adopt(in.Next, pasted, i)); err == nil {
				in.Next = edited.Document
				continue
			}
		}
		in.Faults = append(in.Faults, err.Error())
		break
	}
	return in
}

// separator finds what stands between the cells of a sheet's first line; false when the text is no sheet.
func separator(data []byte) (rune, bool) {
	first, _, _ := bytes.Cut(data, []byte("\n"))
	head := strings.ToLower(string(first))
	for _, comma := range []rune{'\t', ',', ';'} {
		cells := strings.Split(strings.TrimSpace(head), string(comma))
		text, label := false, false
		for _, c := range cells {
			c = strings.Trim(strings.TrimSpace(c), `"`)
			text, label = text || c == "text", label || c == "label"
		}
		if text && label || len(cells) > 1 && sheet.IsTexts([][]string{{strings.Trim(cells[0], `"`)}}) {
			return comma, true
		}
	}
	return 0, false
}

// bounds are those of a sheet that is imported: 500 questions of 60 answers and lines have 30,000 rows.
var bounds = tableBounds{Rows: 60_000, Columns: 500, Cells: 400_000}

// writeXLSX makes a spreadsheet of a quiz's sheet; figures become numbers.
func writeXLSX(table [][]string) ([]byte, error) {
	return spreadsheetOf(table, map[string]float64{"C": 44, "H": 32}, func(x int, cell string) any {
		var n float64
		if x >= sheet.Fixed {
			if _, err := fmt.Sscan(cell, &n); err == nil {
				return n
			}
		}
		return cell
	})
}

// writeTextsXLSX makes a spreadsheet of a quiz's texts.
func writeTextsXLSX(table [][]string) ([]byte, error) {
	widths := map[string]float64{"A": 30, "B": 30}
	for x := 2; x < len(table[0]); x++ {
		name, err := excelize.ColumnNumberToName(x + 1)
		if err != nil {
			return nil, err
		}
		widths[name] = 50
	}
	return spreadsheetOf(table, widths, func(_ int, cell string) any { return cell })
}

func spreadsheetOf(table [][]string, widths map[string]float64, value func(x int, cell string) any) ([]byte, error) {
	f := excelize.NewFile()
	defer f.Close()
	name := f.GetSheetName(0)
	for y, row := range table {
		for x, cell := range row {
			at, err := excelize.CoordinatesToCellName(x+1, y+1)
			if err != nil {
				return nil, err
			}
			if cell == "" {
				continue
			}
			var v any = cell
			if y > 0 {
				v = value(x, cell)
			}
			if err := f.SetCellValue(name, at, v); err != nil {
				return nil, err
			}
		}
	}
	for column, width := range widths {
		if err := f.SetColWidth(name, column, column, width); err != nil {
			return nil, err
		}
	}
	headStays := &excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}
	if err := f.SetPanes(name, headStays); err != nil {
		return nil, err
	}
	b, err := f.WriteToBuffer()
	if err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}
