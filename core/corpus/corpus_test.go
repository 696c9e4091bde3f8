package corpus

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestInputsAreReadAsTheyWereWritten(t *testing.T) {
	for _, c := range []struct {
		text string
		want []any
		err  string
	}{
		{"go test fuzz v1\nstring(\"a\\xff\")\nint64(-68)\n", []any{"a\xff", int64(-68)}, ""},
		{"go test fuzz v1\n[]byte(\"{}\")", []any{[]byte("{}")}, ""},
		{"go test fuzz v2\nstring(\"a\")", nil, "unknown form"},
		{"go test fuzz v1\nrune('a')", nil, "type rune"},
		{"go test fuzz v1\nstring(", nil, "expected"},
	} {
		got, err := parse([]byte(c.text))
		if c.err != "" {
			require.ErrorContains(t, err, c.err)
			continue
		}
		require.NoError(t, err)
		require.Equal(t, c.want, got)
	}
}

func TestPackKeepsWhatIsThereUpToItsBound(t *testing.T) {
	dir := t.TempDir()
	var files []string
	for _, name := range []string{"c", "a", "b"} {
		file := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(file, []byte("go test fuzz v1\nstring(\""+name+"\")\n"), 0o600))
		files = append(files, file)
	}
	archive := filepath.Join(dir, "FuzzX.zip")
	require.NoError(t, Pack(archive, files[:1], 2))
	require.NoError(t, Pack(archive, files, 2))
	list, err := read(archive)
	require.NoError(t, err)
	require.Len(t, list, 2)
	require.Equal(t, "a", list[0].name)
	require.Equal(t, "c", list[1].name)
	before, err := os.ReadFile(archive)
	require.NoError(t, err)
	require.NoError(t, Pack(archive, nil, 2))
	after, err := os.ReadFile(archive)
	require.NoError(t, err)
	require.Equal(t, before, after)
	none, err := read(filepath.Join(dir, "none.zip"))
	require.NoError(t, err)
	require.Empty(t, none)
}
