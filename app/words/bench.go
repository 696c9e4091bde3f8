package words

import (
	"embed"
	"encoding/json"
	"path"
	"strings"
	"sync"
)

//go:embed bench/*.json
var benchFiles embed.FS

// benches are the sentences of the workbench by language, then by code.
var benches = sync.OnceValue(func() map[string]map[string]string {
	out := map[string]map[string]string{}
	list, err := benchFiles.ReadDir("bench")
	for _, f := range list {
		var data []byte
		said := map[string]string{}
		if data, err = benchFiles.ReadFile(path.Join("bench", f.Name())); err == nil {
			err = json.Unmarshal(data, &said)
		}
		if err != nil {
			break
		}
		out[strings.TrimSuffix(f.Name(), ".json")] = said
	}
	if err != nil {
		panic(err) // they are built in
	}
	return out
})

// Bench lists what problems and refusals of the workbench say in a language (BCP 47), by the codes of package say. What
// a language lacks is said in English. English is the only one so far: a translator copies bench/en.json.
func Bench(code string) map[string]string {
	primary, _, _ := strings.Cut(code, "-")
	return benches()[strings.ToLower(primary)]
}
