package workbench

import "omphalos/app/guide"

// Keys is one group of the sheet of keys.
type Keys struct {
	Name string
	List [][2]string // the key, and what it does
}

var everywhere = Keys{"Everywhere", [][2]string{
	{"?", "Show this help"},
	{"Ctrl+Z", "Undo your last change (including table cells and shares)"},
	{"Ctrl+Shift+Z", "Redo"},
	{"Enter", "Save the field"},
	{"Esc", "Cancel the edit; close the open menu or panel"},
	{"Alt+1, Alt+2 …", "Go to a room"},
	{"Alt+R", "Go to the Reach bar"},
	{"Alt+I", "Insert an answer, score or contact field"},
}}

// Guide lists the pages of the guide about the room that is shown.
func (f *frame) Guide() []*guide.Page { return guide.Of(f.Bench.room(f.Current).Title) }

// Keys lists the keys that work in the room that is shown.
func (f *frame) Keys() []Keys {
	out := []Keys{everywhere}
	if room := f.Bench.room(f.Current); room.Keys != nil {
		out = append(out, room.Keys...)
	}
	return out
}
