package respond

import (
	"encoding/xml"
	"regexp"
	"testing"

	"github.com/stretchr/testify/require"
)

// An ending shows figures as a drawing and as a table, says a standing in its text, and reads from the right where its
// language does.
func TestChartsOnAnEnding(t *testing.T) {
	rest := `"questions":[{"id":"q","kind":"single","required":true,"text":"Which?","choices":[{"id":"a","label":"A","points":{"fit":3}},{"id":"b","label":"B","points":{"fit":4}}]}],
		"scales":[{"id":"fit","name":"Fit <b>","norm":[[1,0.5],[3,0.25],[4,0.25]]}],
		"outcomes":[{"id":"o","heading":"End","text":"Better than {percentile.fit} in a hundred","ending":{"kind":"page","charts":[
			{"kind":"bars","of":["scale.fit","percent.fit","percentile.fit"],"beside":"norm"},{"kind":"radar","of":["scale.fit","percent.fit","percentile.fit"]}]}}],"otherwise":"o"`
	for language, side := range map[string]string{`"en"`: `x="320"`, `"ar"`: `x="0"`} {
		v := newVisit(t, rest+`,"language":`+language)
		v.get("/q/pages")
		v.send("q=a")
		require.Contains(t, v.text(), "Better than 62.5 in a hundred") // 50 below, and half of 25
		drawings := regexp.MustCompile(`(?s)<svg viewBox[^>]*class="chart".*?</svg>`).FindAllString(v.body, -1)
		require.Len(t, drawings, 2)
		for _, svg := range drawings {
			require.NoError(t, xml.Unmarshal([]byte(svg), new(struct{})))
			require.Contains(t, svg, `role="img"`)
			require.Contains(t, svg, "Fit &lt;b&gt; 3")
		}
		require.Contains(t, drawings[0], side+` y="16" text-anchor="end" class="value">3<`, language)
		require.Contains(t, v.body, `<th scope="row">Fit &lt;b&gt;<td>75 %<td>56 %`, "3 of the 4 that could be had; the norm has 2.25")
	}
}
