package main

import (
	_ "embed"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"text/template"
	"time"
)

//go:embed page.md
var pageText string

// figures are what the page says.
type figures struct {
	Date                        string
	Cores                       int
	Quizzes, Questions, Most    int
	Responses, Clients          int
	Tables                      []figureTable
	Bytes, Gigabytes, PerSecond float64 // of a response; of 100 million; how many are stored
	Hours, Replay               float64 // until these have come in; seconds for a million replayed
	Edit                        string
}

// figureTable is what was measured with one database.
type figureTable struct {
	Name string
	Rows []figureRow
}

// figureRow is one line of a table, with its cells.
type figureRow struct{ What, Limit, One, Ten, Hundred, Growth string }

// report is the page; what it says on paper is of the first of those measured.
func report(all []*measured) (string, error) {
	last, m := len(factors)-1, all[0]
	perByte := float64(m.perByte[factors[last]]-m.perByte[1]) / float64((factors[last]-1)*answered)
	perSecond := float64(time.Second) / float64(m.submit.cost[last])
	f := figures{
		Date: time.Now().Format("2 January 2006"), Cores: runtime.NumCPU(), Quizzes: quizzes, Questions: questions,
		Most: questions * factors[last], Responses: answered, Clients: clients,
		Bytes: perByte, Gigabytes: perByte * 1e8 / 1e9,
		PerSecond: perSecond, Hours: 1e8 / perSecond / 3600, Replay: 1e6 * m.replay.cost[last].Seconds(),
		Edit: micro(m.edit.cost[last]),
	}
	for _, m := range all {
		table := figureTable{Name: m.name()}
		lines := []*line{&m.page, &m.clients, &m.submit, &m.crowd, &m.leads, &m.replay, &m.edit}
		if len(m.edit.cost) == 0 {
			lines = lines[:len(lines)-1]
		}
		for _, l := range lines {
			table.Rows = append(table.Rows, l.row())
		}
		f.Tables = append(f.Tables, table)
	}
	page, err := template.New("page").Parse(pageText)
	if err != nil {
		return "", err
	}
	var b strings.Builder
	err = page.Execute(&b, f)
	return b.String(), err
}

func (l *line) row() figureRow {
	ratios, cells := make([]float64, len(factors)), make([]string, len(factors))
	for i := range factors {
		ratios[i] = float64(l.cost[i]) / float64(l.least[i])
		cells[i] = fmt.Sprintf("%s (%.1f ×)", micro(l.cost[i]), ratios[i])
	}
	return figureRow{l.what, l.limit, cells[0], cells[1], cells[2], fmt.Sprintf("%.2f", slices.Max(ratios)/ratios[0])}
}

func micro(d time.Duration) string {
	if d >= 10*time.Millisecond {
		return fmt.Sprintf("%.0f ms", float64(d)/1e6)
	}
	return fmt.Sprintf("%.0f µs", float64(d)/1e3)
}
