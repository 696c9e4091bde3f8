package leads

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/page"
)

// Bars and streams have heights in proportion to the people, and fill what there is but for the gaps.
func TestAStreamIsInProportion(t *testing.T) {
	marks := []page.Mark{{ID: "a", Name: "A <i>", Style: 0}, {ID: "b", Name: "B", Style: 1}, {ID: "c", Name: "C", Style: 2}}
	flows := []flow{{marks[0], marks[0], 30}, {marks[0], marks[1], 10}, {marks[1], marks[1], 20}}
	svg := string(streamChart(marks, flows))
	require.Contains(t, svg, "A &lt;i&gt;")
	require.NotContains(t, svg, ">C:")
	require.Equal(t, 1, strings.Count(svg, `class="moves"`))
	require.Equal(t, 2, strings.Count(svg, `class="stays"`))
	scale := (streamHeight - 3*streamGap) / 60
	var sides [2]float64
	for i, m := range regexp.MustCompile(`<rect [^>]*height="([\d.]+)"`).FindAllStringSubmatch(svg, -1) {
		height, err := strconv.ParseFloat(m[1], 64)
		require.NoError(t, err)
		require.Contains(t, []string{fmt.Sprintf("%.1f", 40*scale), fmt.Sprintf("%.1f", 20*scale), fmt.Sprintf("%.1f", 30*scale)}, m[1])
		sides[i/2] += height
	}
	require.InDelta(t, 60*scale, sides[0], 0.2)
	require.InDelta(t, 60*scale, sides[1], 0.2)
	require.Empty(t, streamChart(marks, nil))
}
