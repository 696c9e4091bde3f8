package workbench

import (
	"encoding/json"
	"maps"
	"slices"
	"strings"
	"sync"
)

// here is who has a quiz open on this server now, and in which room: a window that is seen keeps its stream of events,
// which says so.
type here struct {
	mu   sync.Mutex
	list map[string]map[present]int // by quiz: how many windows
}

// present is a window that is open.
type present struct{ Account, Room string }

// enter notes that a window is open; the other function notes that it is not any more.
func (h *here) enter(quiz string, p present) (leave func()) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.list == nil {
		h.list = map[string]map[present]int{}
	}
	if h.list[quiz] == nil {
		h.list[quiz] = map[present]int{}
	}
	h.list[quiz][p]++
	return func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		if h.list[quiz][p]--; h.list[quiz][p] == 0 {
			delete(h.list[quiz], p)
		}
		if len(h.list[quiz]) == 0 {
			delete(h.list, quiz)
		}
	}
}

// windows are those that a quiz is open in.
func (h *here) windows(quiz string) []present {
	h.mu.Lock()
	defer h.mu.Unlock()
	return slices.Collect(maps.Keys(h.list[quiz]))
}

// others says who else is in windows, as a JSON text such as "mira@larkmoor.example in Verdicts".
func others(windows []present, account string) string {
	rooms := map[string][]string{}
	for _, p := range windows {
		if p.Account != account && !slices.Contains(rooms[p.Account], p.Room) {
			rooms[p.Account] = append(rooms[p.Account], p.Room)
		}
	}
	var out []string
	for who, in := range rooms {
		slices.Sort(in)
		name, _, _ := strings.Cut(who, "@")
		out = append(out, name+" in "+strings.Join(in, " and "))
	}
	slices.Sort(out)
	text, err := json.Marshal(strings.Join(out, ", "))
	if err != nil {
		panic(err) // a text always has a form
	}
	return string(text)
}
