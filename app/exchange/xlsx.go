package exchange

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"path"
	"strings"

	"github.com/xuri/excelize/v2"
)

// tableBounds are what is read of a table at most.
type tableBounds struct{ Rows, Columns, Cells int }

// What the parts of a workbook may hold, unzipped, in bytes. Rows are read one by one, but texts and styles are kept
// in memory at some twenty times their size in the file, whatever the sheet makes of them.
const (
	maxSheetPart  = 48 << 20
	maxTextsPart  = 8 << 20
	maxOtherParts = 2 << 20
)

var errWorkbook = errors.New("couldn’t read the spreadsheet: it’s damaged or password-protected. " +
	"Save it again as XLSX or CSV")

// readXLSX reads the first sheet of a workbook (ECMA-376), row by row, without the blank cells at the end of rows and
// the blank rows at the end. What is over the bounds is an error that names the row, before it is kept.
func readXLSX(data []byte, bounds tableBounds) ([][]string, error) {
	if err := weigh(data); err != nil {
		return nil, err
	}
	f, err := excelize.OpenReader(bytes.NewReader(data), excelize.Options{
		UnzipSizeLimit:    maxSheetPart + maxTextsPart + maxOtherParts,
		UnzipXMLSizeLimit: maxSheetPart,
		RawCellValue:      true,
	})
	if err != nil {
		return nil, errWorkbook
	}
	defer f.Close()
	rows, err := f.Rows(f.GetSheetName(0))
	if err != nil {
		return nil, errWorkbook
	}
	defer rows.Close()
	var out [][]string
	kept, cells := 0, 0
	for rows.Next() {
		if len(out) == bounds.Rows {
			return nil, fmt.Errorf("the sheet has more than %d rows. Split it", bounds.Rows)
		}
		row, err := rows.Columns()
		if err != nil {
			return nil, errWorkbook
		}
		row = withoutBlankEnd(row)
		if len(row) > bounds.Columns {
			return nil, fmt.Errorf("row %d has more than %d columns. Clear the cells on the far right",
				len(out)+1, bounds.Columns)
		}
		if cells += len(row); cells > bounds.Cells {
			return nil, fmt.Errorf("the sheet has more than %[2]d cells (at row %[1]d). Split it", len(out)+1, bounds.Cells)
		}
		if out = append(out, row); len(row) > 0 {
			kept = len(out)
		}
	}
	if rows.Error() != nil {
		return nil, errWorkbook
	}
	return out[:kept], nil
}

// weigh refuses a workbook by the sizes that its directory tells. Reading is held to them: archive/zip stops a part
// that continues.
func weigh(data []byte) error {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return errWorkbook
	}
	var sheets, texts, others uint64
	for _, part := range z.File {
		switch size := part.UncompressedSize64; {
		case strings.EqualFold(path.Base(part.Name), "sharedStrings.xml"):
			texts += size
		case strings.Contains(strings.ToLower(part.Name), "worksheets/"):
			sheets += size
		case strings.HasSuffix(strings.ToLower(part.Name), ".xml"), strings.HasSuffix(part.Name, ".rels"):
			others += size
		default: // pictures and the like: they are unzipped and nothing more
			sheets += size
		}
		if sheets > maxSheetPart || texts > maxTextsPart || others > maxOtherParts {
			return fmt.Errorf("the spreadsheet is larger than %d MB unzipped, has more than %d MB of text, "+
				"or contains mostly formatting. Copy the cells to a new file, or save "+
				"it as CSV", maxSheetPart>>20, maxTextsPart>>20)
		}
	}
	return weighTexts(z)
}

func withoutBlankEnd(row []string) []string {
	for len(row) > 0 && row[len(row)-1] == "" {
		row = row[:len(row)-1]
	}
	return row
}
