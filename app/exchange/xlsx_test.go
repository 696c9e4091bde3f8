package exchange

import (
	"archive/zip"
	"bytes"
	"fmt"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"omphalos/core/corpus"
)

// workbook is a workbook whose first sheet holds the XML of rows.
func workbook(t testing.TB, rows string, parts map[string]string) []byte {
	t.Helper()
	all := map[string]string{
		"[Content_Types].xml": `<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"/>`,
		"_rels/.rels": `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" ` +
			`Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
		"xl/workbook.xml": `<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" ` +
			`xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="S" sheetId="1" r:id="r1"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels": `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" ` +
			`Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`,
		"xl/worksheets/sheet1.xml": `<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>` + rows + `</sheetData></worksheet>`,
	}
	for name, text := range parts {
		all[name] = text
	}
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range all {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

func cell(at, text string) string {
	return fmt.Sprintf(`<c r="%s" t="inlineStr"><is><t>%s</t></is></c>`, at, text)
}

func TestAWorkbookIsReadByItsRows(t *testing.T) {
	bounds := tableBounds{Rows: 10, Columns: 5, Cells: 12}
	rows := `<row r="1">` + cell("A1", "a") + cell("C1", "c") + `</row><row r="3">` + cell("A3", "last") + cell("E3", "") + `</row><row r="9"></row>`
	table, err := readXLSX(workbook(t, rows, nil), bounds)
	require.NoError(t, err)
	require.Equal(t, [][]string{{"a", "", "c"}, nil, {"last"}}, table)
	f := excelize.NewFile()
	require.NoError(t, f.SetSheetRow("Sheet1", "A1", &[]any{"text", 1.5, true}))
	made, err := f.WriteToBuffer()
	require.NoError(t, err)
	table, err = readXLSX(made.Bytes(), bounds)
	require.NoError(t, err)
	require.Equal(t, "1.5", table[0][1])
}

// Small files that become large ones: each is refused with words, and takes no more memory than is known beforehand.
func TestAWorkbookHasBounds(t *testing.T) {
	bounds := tableBounds{Rows: 60_000, Columns: 500, Cells: 400_000}
	far := strings.Builder{}
	for i := range 30_000 {
		fmt.Fprintf(&far, `<row r="%d">%s</row>`, i+1, cell(fmt.Sprintf("XFD%d", i+1), "x"))
	}
	wide := `<row r="1">` + cell("SG1", "x") + `</row>`
	for name, c := range map[string]struct {
		data []byte
		says string
	}{
		"a cell at the far right of each row": {workbook(t, far.String(), nil), "row 1 has more than 500 columns"},
		"one column too many":                 {workbook(t, wide, nil), "row 1 has more than 500 columns"},
		"the last row of all":                 {workbook(t, `<row r="1048576">`+cell("A1048576", "x")+`</row>`, nil), "more than 60000 rows"},
		"many cells": {workbook(t, strings.Repeat(`<row>`+strings.Repeat(`<c><v>1</v></c>`, 400)+`</row>`, 1001), nil),
			"the sheet has more than 400000 cells (at row 1001). Split it"},
		"one long text that every cell shares": {workbook(t,
			strings.Repeat(`<row>`+strings.Repeat(`<c t="s"><v>0</v></c>`, 400)+`</row>`, 900), map[string]string{
				"xl/sharedStrings.xml": "<sst><si><t>" + strings.Repeat("long ", 14_000) + "</t></si></sst>"}), "16 MB of text"},
		"one in parts, in a row without end": {workbook(t,
			`<row>`+strings.Repeat(`<c t="s"><v>1</v></c>`, 16_000)+`</row>`, map[string]string{
				"xl/sharedStrings.xml": "<sst><si/><si>" + strings.Repeat("<r><t>long</t></r>", 5000) + "</si></sst>"}), "16 MB of text"},
		"texts that nothing shows": {workbook(t, "", map[string]string{
			"xl/sharedStrings.xml": "<sst>" + strings.Repeat("<si/>", 2<<20) + "</sst>"}), "8 MB of text"},
		"styles that nothing has": {workbook(t, "", map[string]string{
			"xl/styles.xml": "<styleSheet><cellXfs>" + strings.Repeat("<xf/>", 1<<20) + "</cellXfs></styleSheet>"}), "or contains mostly formatting. Copy the cells to a new file, or save it as CSV"},
		"blank space": {workbook(t, strings.Repeat(" ", 49<<20), nil), "larger than 48 MB"},
		"no workbook": {[]byte("PK\x03\x04 not one"), "damaged"},
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		_, err := readXLSX(c.data, bounds)
		runtime.ReadMemStats(&after)
		require.ErrorContains(t, err, c.says, name)
		require.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(300<<20), name)
	}
}

// FuzzXLSX: whatever a workbook's sheet says, reading ends within the bounds.
func FuzzXLSX(f *testing.F) {
	corpus.Add(f)
	f.Add(`<row r="1">` + cell("A1", "a") + `</row>`)
	f.Add(`<row r="-1"><c r="XFE1"><v>9</v></c></row>`)
	f.Add(`<row r="7"><c t="s"><v>99999999</v></c><c r="A0"/></row>`)
	f.Add(`<row><c t="b"><v>x</v></c></row></sheetData><sheetData><row/>`)
	bounds := tableBounds{Rows: 20, Columns: 5, Cells: 30}
	f.Fuzz(func(t *testing.T, rows string) {
		table, err := readXLSX(workbook(t, rows, nil), bounds)
		if err != nil {
			return
		}
		cells := 0
		for _, row := range table {
			require.LessOrEqual(t, len(row), bounds.Columns)
			cells += len(row)
		}
		require.LessOrEqual(t, len(table), bounds.Rows)
		require.LessOrEqual(t, cells, bounds.Cells)
	})
}
