package api

import (
	"context"
	"maps"
	"net/http"
	"slices"
	"strconv"

	"github.com/danielgtaylor/huma/v2"

	"omphalos/app/edit"
	"omphalos/app/store/database"
	"omphalos/app/store/documents"
)

// Table is a list next to a quiz; its first column is the key.
type Table struct {
	Columns []string            `json:"columns"`
	Rows    []map[string]string `json:"rows" doc:"A cell by column; one that is not there is blank."`
}

type table struct {
	ETag string `header:"ETag"`
	Body Table
}

// TableAt names a table in the address.
type TableAt struct {
	ByID
	Name string `path:"name" maxLength:"40"`
}

// RowAt names a row of it.
type RowAt struct {
	TableAt
	Key string `path:"key" maxLength:"1000"`
}

func (h *Handler) tables() {
	const tag = "tables"
	huma.Register(h.api, operation("getTable", http.MethodGet, "/quizzes/{id}/tables/{name}", tag, "Get a table"), h.table)
	huma.Register(
		h.api,
		operation("putTable", http.MethodPut, "/quizzes/{id}/tables/{name}", tag, "Create or replace a table",
			also(http.StatusPreconditionFailed, http.StatusPreconditionRequired), allowBody(4<<20)),
		h.putTable,
	)
	huma.Register(
		h.api,
		operation(
			"patchRow",
			http.MethodPatch,
			"/quizzes/{id}/tables/{name}/rows/{key}",
			tag,
			"Change cells of a row, or add the row",
			also(http.StatusConflict),
		),
		h.patchRow,
	)
	huma.Register(
		h.api,
		operation("putRow", http.MethodPut, "/quizzes/{id}/tables/{name}/rows/{key}", tag, "Put a row, or make it",
			also(http.StatusConflict)),
		h.putRow,
	)
	huma.Register(
		h.api,
		operation("deleteRow", http.MethodDelete, "/quizzes/{id}/tables/{name}/rows/{key}", tag, "Delete a row",
			answers(http.StatusNoContent), also(http.StatusConflict)),
		h.deleteRow,
	)
}

// findTable finds a table of a quiz; nil where there is none of the name.
func (h *Handler) findTable(quizID, name string) (*documents.Table, error) {
	if _, err := h.Store.Documents.Quiz(quizID); err != nil {
		return nil, err
	}
	list, err := h.Store.Documents.Tables(quizID)
	for i := range list {
		if list[i].Name == name {
			return &list[i], nil
		}
	}
	return nil, err
}

func answered(t *documents.Table) *table {
	out := &table{
		ETag: strconv.Quote(strconv.Itoa(t.Number)),
		Body: Table{Columns: t.Columns, Rows: []map[string]string{}},
	}
	for _, row := range t.Rows {
		cells := map[string]string{}
		for i, c := range t.Columns {
			if i < len(row) {
				cells[c] = row[i]
			}
		}
		out.Body.Rows = append(out.Body.Rows, cells)
	}
	return out
}

func (h *Handler) table(_ context.Context, in *TableAt) (*table, error) {
	t, err := h.findTable(in.ID, in.Name)
	if err == nil && t == nil {
		err = database.ErrNotFound
	}
	if err != nil {
		return nil, h.refused(err)
	}
	return answered(t), nil
}

func (h *Handler) putTable(ctx context.Context, in *struct {
	TableAt
	IfMatch        string `header:"If-Match" doc:"The ETag of the table to replace; not needed for a new table."`
	IdempotencyKey string `header:"Idempotency-Key" maxLength:"255"`
	Body           Table
}) (*table, error) {
	now, err := h.findTable(in.ID, in.Name)
	if err != nil {
		return nil, h.refused(err)
	}
	base := 0
	if now != nil {
		if base, err = revisionOf(in.IfMatch); err != nil {
			return nil, err
		}
		if base != now.Number {
			return nil, errOvertaken
		}
	}
	next := &documents.Table{Name: in.Name, Columns: in.Body.Columns}
	for i, cells := range in.Body.Rows {
		row := make([]string, len(in.Body.Columns))
		for k, c := range in.Body.Columns {
			row[k] = cells[c]
		}
		for name := range cells {
			if !slices.Contains(in.Body.Columns, name) {
				at := "/rows/" + strconv.Itoa(i) + "/" + name
				return nil, unprocessable(
					"A row has a cell for a column that doesn’t exist.",
					Fault{Pointer: at, Detail: "there is no column “" + name + "”"},
				)
			}
		}
		next.Rows = append(next.Rows, row)
	}
	return h.save(ctx, in.ID, base, next)
}

// save stores the next state of a table by the same entrance as the room.
func (h *Handler) save(ctx context.Context, quizID string, base int, t *documents.Table) (*table, error) {
	err := h.Editor.SaveTable(actor(ctx), quizID, base, t)
	if edit.KindOf(err) == edit.Stale {
		return nil, errOvertaken
	}
	if err != nil {
		return nil, h.refused(err)
	}
	stored, err := h.findTable(quizID, t.Name)
	if err != nil || stored == nil {
		return nil, h.refused(err)
	}
	return answered(stored), nil
}

// rowTries bounds how often a row is changed again because someone else changed the table meanwhile.
const rowTries = 8

// changeRow changes one row, whatever others do to the rest of the table meanwhile.
func (h *Handler) changeRow(
	ctx context.Context,
	at *RowAt,
	change func(t *documents.Table, row int) error,
) (*table, error) {
	for range rowTries {
		t, err := h.findTable(at.ID, at.Name)
		if err == nil && t == nil {
			err = database.ErrNotFound
		}
		if err != nil {
			return nil, h.refused(err)
		}
		row := slices.IndexFunc(t.Rows, func(row []string) bool { return len(row) > 0 && row[0] == at.Key })
		if err := change(t, row); err != nil {
			return nil, h.refused(err)
		}
		out, err := h.save(ctx, at.ID, t.Number, t)
		if err != errOvertaken {
			return out, err
		}
	}
	return nil, problem(http.StatusConflict, "Someone else is changing this table. Try again.")
}

// cells are those of a row by their columns.
type cells struct {
	RowAt
	Body map[string]string
}

func (h *Handler) patchRow(ctx context.Context, in *cells) (*table, error) {
	return h.changeRow(ctx, &in.RowAt, func(t *documents.Table, row int) error {
		if row < 0 {
			return database.ErrNotFound
		}
		return in.set(t, row)
	})
}

func (h *Handler) putRow(ctx context.Context, in *cells) (*table, error) {
	return h.changeRow(ctx, &in.RowAt, func(t *documents.Table, row int) error {
		fresh := make([]string, len(t.Columns))
		fresh[0] = in.Key
		if row < 0 {
			row = len(t.Rows)
			t.Rows = append(t.Rows, fresh)
		} else {
			t.Rows[row] = fresh
		}
		return in.set(t, row)
	})
}

// set sets the cells of a row, and refuses those of columns that are not there.
func (in *cells) set(t *documents.Table, row int) error {
	for _, name := range slices.Sorted(maps.Keys(in.Body)) {
		k := slices.Index(t.Columns, name)
		if k < 0 {
			return unprocessable(
				"The table has no such column.",
				Fault{Pointer: "/" + name, Detail: "there is no column “" + name + "”"},
			)
		}
		t.Rows[row][k] = in.Body[name]
	}
	return nil
}

func (h *Handler) deleteRow(ctx context.Context, in *RowAt) (*struct{}, error) {
	_, err := h.changeRow(ctx, in, func(t *documents.Table, row int) error {
		if row < 0 {
			return database.ErrNotFound
		}
		t.Rows = slices.Delete(t.Rows, row, row+1)
		return nil
	})
	return nil, err
}
