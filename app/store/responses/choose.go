package responses

import (
	"encoding/json"
	"fmt"
	"strings"
	"unicode"

	"gorm.io/gorm"

	"omphalos/app/store/database"
)

// choose chooses the responses in a range. A number that was answered stands behind its mark.
func (r *Range) choose(q *gorm.DB, d *database.Dialect) *gorm.DB {
	if expression := (Sort{By: r.Field}).expression(d); strings.HasPrefix(r.Field, "scale.") && expression != "" {
		return q.Where("("+expression+") >= ? AND ("+expression+") < ?", r.From, r.To)
	}
	before := markStart + r.Field + "="
	answered := q.Where(d.Inside+" > 0 AND "+d.Inside+" = 0", before, before+markEnd) // asked, and not left blank
	return answered.Where(d.Marked+" >= ? AND "+d.Marked+" < ?", before, len(before), r.From, before, len(before), r.To)
}

// hinted leaves out what cannot hold the words that are searched for. The database may compare letters of ASCII alone
// whatever their size, so other words are left to anyone who reads.
func (h *hits) hinted(q *gorm.DB, d *database.Dialect) *gorm.DB {
	holds := fmt.Sprintf("(name %[1]s ? OR email %[1]s ? OR %[2]s %[1]s ? OR %[3]s %[1]s ?)",
		d.Like, fmt.Sprintf(d.AsText, "contact"), fmt.Sprintf(d.AsText, "answers"))
	foreign := func(r rune) bool { return r > unicode.MaxASCII || strings.ContainsRune(`%_\`, r) }
	for _, word := range h.search {
		if strings.ContainsFunc(word, foreign) {
			continue
		}
		like := "%" + word + "%"
		q = q.Where(holds, like, like, like, like)
	}
	return q
}

// amongIDs chooses the responses with these ids, which are few: each is looked up.
func amongIDs(q *gorm.DB, d *database.Dialect, ids []string) *gorm.DB {
	list, err := json.Marshal(append([]string{}, ids...)) // nil is null
	if err != nil {
		_ = q.AddError(err)
	}
	return q.Where("id IN ("+d.Among+")", string(list))
}
