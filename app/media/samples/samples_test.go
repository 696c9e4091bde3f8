package samples

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestEveryDrawingIsWellFormedAndSaysWhatItShows(t *testing.T) {
	seen := map[string]bool{}
	require.GreaterOrEqual(t, len(All), 20)
	for i := range All {
		s := &All[i]
		require.False(t, seen[s.Name], s.Name)
		seen[s.Name] = true
		require.NotEmpty(t, s.Alt)
		require.NotEmpty(t, s.Tags)
		require.Less(t, len(s.SVG), 40_000)
		for d := xml.NewDecoder(bytes.NewReader(s.SVG)); ; {
			token, err := d.Token()
			if errors.Is(err, io.EOF) {
				break
			}
			require.NoError(t, err, s.Name)
			if e, ok := token.(xml.StartElement); ok {
				require.Contains(t, []string{"svg", "rect", "circle", "ellipse", "path"}, e.Name.Local, "nothing that runs or loads")
			}
		}
		require.Same(t, s, Find(s.Name))
	}
	require.Nil(t, Find("nothing"))
}
