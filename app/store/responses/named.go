package responses

import (
	"encoding/json"
	"net/url"
	"slices"
	"strings"

	"omphalos/app/store/database"
	"omphalos/app/store/documents"
)

// person is what names someone in texts next to their response: searches that were kept, keys that were missed.
type person struct {
	email, name string
	params      []string
}

// personOf is whom a response names.
func personOf(r *Response) person {
	p := person{email: r.Email, name: r.Name}
	var params map[string]string
	_ = json.Unmarshal(r.Params, &params) // it was written by this program, or there are none
	for _, value := range params {
		if value != "" {
			p.params = append(p.params, value)
		}
	}
	return p
}

// shortest is how long a name is at least to be looked for by itself.
const shortest = 3

// isNamedIn reports whether a text names someone: it holds the email address, or a name of several words.
func (p person) isNamedIn(text string) bool {
	text, name := strings.ToLower(text), strings.ToLower(strings.TrimSpace(p.name))
	return p.email != "" && strings.Contains(text, strings.ToLower(p.email)) ||
		strings.Contains(name, " ") && strings.Contains(text, name)
}

// isSearched reports whether a search, as people type it, is for someone: it names them, or is a part of their name or
// address.
func (p person) isSearched(text string) bool {
	text = strings.ToLower(strings.TrimSpace(text))
	local, _, _ := strings.Cut(strings.ToLower(p.email), "@")
	part := text == local || slices.Contains(strings.Fields(strings.ToLower(p.name)), text)
	return p.isNamedIn(text) || len(text) >= shortest && part
}

// inQuery reports whether an address of Leads chooses someone: by its search, or by any other of its values.
func (p person) inQuery(query string) bool {
	values, err := url.ParseQuery(query)
	if err != nil {
		return p.isNamedIn(query)
	}
	for field, list := range values {
		if slices.ContainsFunc(list, p.isNamedIn) || field == "q" && slices.ContainsFunc(list, p.isSearched) {
			return true
		}
	}
	return false
}

// dropNaming deletes what a quiz keeps next to responses that names someone: kept filters and links to results that
// search for them, and keys that tables were asked for with parameters of their link.
func dropNaming(tx *database.Transaction, quizID string, people ...person) error {
	for _, of := range []string{"kept_filters", "result_links"} {
		queries, err := tx.Strings("SELECT DISTINCT query FROM "+of+" WHERE quiz_id = ?", quizID)
		if err != nil {
			return err
		}
		for _, query := range queries {
			if slices.ContainsFunc(people, func(p person) bool { return p.inQuery(query) }) {
				if _, err := tx.Exec("DELETE FROM "+of+" WHERE quiz_id = ? AND query = ?", quizID, query); err != nil {
					return err
				}
			}
		}
	}
	names, err := tx.Strings("SELECT name FROM kept_filters WHERE quiz_id = ?", quizID)
	if err != nil {
		return err
	}
	for _, name := range names {
		if slices.ContainsFunc(people, func(p person) bool { return p.isSearched(name) }) {
			const named = "DELETE FROM kept_filters WHERE quiz_id = ? AND name = ?"
			if _, err := tx.Exec(named, quizID, name); err != nil {
				return err
			}
		}
	}
	for _, p := range people {
		for _, key := range p.params {
			const missed = "DELETE FROM misses WHERE quiz_id = ? AND key = ?"
			if _, err := tx.Exec(missed, quizID, documents.CutKey(key)); err != nil {
				return err
			}
		}
	}
	return nil
}
