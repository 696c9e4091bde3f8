package workbench

// Keys is one group of the sheet of keys.
type Keys struct {
	Name string
	List [][2]string // the key, and what it does
}

var everywhere = Keys{"Everywhere", [][2]string{
	{"?", "this list"},
	{"Ctrl+Z", "take back what you did last, a table’s cell or a share too"},
	{"Ctrl+Shift+Z", "make it again"},
	{"Enter", "save a field and leave it"},
	{"Esc", "leave a field as it was; close what is open"},
	{"Alt+1, Alt+2 …", "go to a room"},
	{"Alt+R", "go to the reach bar"},
	{"Alt+I", "from a text or an address to the menu of fields"},
}}

// Keys lists the keys that work in the room that is shown.
func (f *frame) Keys() []Keys {
	out := []Keys{everywhere}
	if room := f.Bench.room(f.Current); room.Keys != nil {
		out = append(out, room.Keys...)
	}
	return out
}
