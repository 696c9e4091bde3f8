// Package corpus keeps the inputs that fuzzing has found, in one archive per fuzz test: testdata/fuzz/NAME.zip. The go
// command keeps each in a file of its own, which makes more than a thousand files.
package corpus

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"
)

// Add adds the inputs of the archive to a fuzz test, which go test then runs. A test without an archive has none.
func Add(f *testing.F) {
	f.Helper()
	list, err := read(filepath.Join("testdata", "fuzz", f.Name()+".zip"))
	if err != nil {
		f.Fatal(err)
	}
	for _, one := range list {
		values, err := parse(one.data)
		if err != nil {
			f.Fatalf("%s: %v", one.name, err)
		}
		f.Add(values...)
	}
}

type entry struct {
	name string
	data []byte
}

func read(path string) (list []entry, err error) {
	r, err := zip.OpenReader(path)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("open the corpus: %w", err)
	}
	defer r.Close()
	for _, file := range r.File {
		in, err := file.Open()
		if err != nil {
			return nil, fmt.Errorf("read %s: %w", file.Name, err)
		}
		data, err := io.ReadAll(in)
		if err != nil {
			return nil, fmt.Errorf("read %s: %w", file.Name, err)
		}
		list = append(list, entry{file.Name, data})
	}
	return list, nil
}

// Pack adds files to an archive until it has most inputs. What it holds already stays; equal names are equal inputs, as
// the go command names an input by its hash. The archive comes out the same for the same inputs.
func Pack(path string, files []string, most int) error {
	list, err := read(path)
	if err != nil {
		return err
	}
	for _, file := range files {
		name := filepath.Base(file)
		if len(list) >= most {
			break
		}
		if slices.ContainsFunc(list, func(e entry) bool { return e.name == name }) {
			continue
		}
		data, err := os.ReadFile(file)
		if err != nil {
			return err
		}
		list = append(list, entry{name, data})
	}
	if len(list) == 0 {
		return nil
	}
	slices.SortFunc(list, func(a, b entry) int { return strings.Compare(a.name, b.name) })
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for _, e := range list {
		to, err := w.CreateHeader(&zip.FileHeader{Name: e.name, Method: zip.Deflate, Modified: time.Unix(0, 0).UTC()})
		if err != nil {
			return err
		}
		if _, err := to.Write(e.data); err != nil {
			return err
		}
	}
	if err := w.Close(); err != nil {
		return err
	}
	return os.WriteFile(path, out.Bytes(), 0o644)
}

// parse reads an input as the go command writes it: a heading, then a line for each argument, such as string("a").
func parse(data []byte) (values []any, err error) {
	lines := strings.Split(strings.TrimSpace(string(data)), "\n")
	if lines[0] != "go test fuzz v1" {
		return nil, fmt.Errorf("unknown form %q", lines[0])
	}
	for _, line := range lines[1:] {
		v, err := value(line)
		if err != nil {
			return nil, err
		}
		values = append(values, v)
	}
	return values, nil
}

func value(line string) (any, error) {
	expr, err := parser.ParseExpr(line)
	if err != nil {
		return nil, err
	}
	call, ok := expr.(*ast.CallExpr)
	if !ok || len(call.Args) != 1 {
		return nil, fmt.Errorf("%s is no value", line)
	}
	sign, arg := "", call.Args[0]
	if u, ok := arg.(*ast.UnaryExpr); ok && u.Op == token.SUB {
		sign, arg = "-", u.X
	}
	lit, ok := arg.(*ast.BasicLit)
	if !ok {
		return nil, fmt.Errorf("%s is no value", line)
	}
	switch kind, _, _ := strings.Cut(line, "("); kind {
	case "string":
		return strconv.Unquote(lit.Value)
	case "[]byte":
		s, err := strconv.Unquote(lit.Value)
		return []byte(s), err
	case "int64":
		return strconv.ParseInt(sign+lit.Value, 10, 64)
	default:
		return nil, fmt.Errorf("arguments of type %s are not known here", kind)
	}
}
