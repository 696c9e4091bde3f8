package score

import (
	"errors"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/corpus"
	"omphalos/core/quiztest"
	"omphalos/core/walk"
)

// FuzzTable: whatever a table of answers holds, reading it ends, with a row or its faults for each line.
func FuzzTable(f *testing.F) {
	corpus.Add(f)
	f.Add("q0,q1\nc0,c1\n")
	f.Add("q0,\"q1\n\"\"\",x\r\n=c0,+1,@\n\xff\xfe,\x00")
	f.Add("\xef\xbb\xbfq0;q1\nc0;c9\n")
	f.Add("q0,q0\nc1|c2,\n\"open")
	c, err := walk.New(quiztest.Branching())
	require.NoError(f, err)
	f.Fuzz(func(t *testing.T, text string) {
		r, err := NewReader(c, strings.NewReader(text), "2026-03-31")
		if err != nil {
			return
		}
		for n := 0; ; n++ {
			require.LessOrEqual(t, n, len(text)+1)
			row, err := r.Next()
			if errors.Is(err, io.EOF) {
				return
			}
			require.NoError(t, err)
			require.Len(t, row.Cells, len(r.Head))
			require.True(t, row.Result != nil || len(row.Bad) > 0)
		}
	})
}
