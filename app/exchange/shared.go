package exchange

import (
	"archive/zip"
	"encoding/xml"
	"errors"
	"io"
	"path"
	"strconv"
	"strings"
)

// What the cells of a workbook may hold in all, in bytes: cells share their texts (ECMA-376, 18.4), so that a small
// file can say one text a million times. Texts up to shortText are not counted: the bound on cells holds them.
const (
	maxCellText = 16 << 20
	shortText   = 40
)

var errLongTexts = errors.New("the cells of the spreadsheet hold more than 16 MB of text in all: split it")

// weighTexts refuses a workbook whose cells would hold too much, before any of them is made.
func weighTexts(z *zip.Reader) error {
	lengths, longest, err := sharedLengths(z)
	if err != nil || longest <= shortText {
		return err
	}
	left := maxCellText
	for _, part := range z.File {
		if strings.Contains(strings.ToLower(part.Name), "worksheets/") {
			if err := weighCells(part, lengths, &left); err != nil {
				return err
			}
		}
	}
	return nil
}

// sharedLengths are the lengths of the texts that cells share, and that of the longest.
func sharedLengths(z *zip.Reader) (lengths []int, longest int, err error) {
	for _, part := range z.File {
		if !strings.EqualFold(path.Base(part.Name), "sharedStrings.xml") {
			continue
		}
		err := tokens(part, func(token xml.Token) error {
			switch token := token.(type) {
			case xml.StartElement:
				if token.Name.Local == "si" {
					lengths = append(lengths, 0)
				}
			case xml.CharData:
				if n := len(lengths); n > 0 {
					lengths[n-1] += len(token)
					longest = max(longest, lengths[n-1])
				}
			}
			return nil
		})
		if err != nil {
			return nil, 0, err
		}
	}
	return lengths, longest, nil
}

// weighCells takes from what is left what the cells of one sheet share.
func weighCells(part *zip.File, lengths []int, left *int) error {
	shared, value := false, false
	return tokens(part, func(token xml.Token) error {
		switch token := token.(type) {
		case xml.StartElement:
			switch token.Name.Local {
			case "c":
				shared = false
				for _, a := range token.Attr {
					shared = shared || a.Name.Local == "t" && a.Value == "s"
				}
			case "v":
				value = true
			}
		case xml.EndElement:
			value = value && token.Name.Local != "v"
		case xml.CharData:
			if !shared || !value {
				return nil
			}
			if i, err := strconv.Atoi(strings.TrimSpace(string(token))); err == nil && i >= 0 && i < len(lengths) {
				*left -= lengths[i]
			}
			if *left < 0 {
				return errLongTexts
			}
		}
		return nil
	})
}

// tokens reads a part of a workbook token by token.
func tokens(part *zip.File, see func(xml.Token) error) error {
	r, err := part.Open()
	if err != nil {
		return errWorkbook
	}
	defer r.Close()
	for d := xml.NewDecoder(r); ; {
		token, err := d.RawToken()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return errWorkbook
		}
		if err := see(token); err != nil {
			return err
		}
	}
}
