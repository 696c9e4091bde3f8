// Package visitor answers the demonstration's main quiz as a respondent does, page by page: for tests and trials that
// need many of them.
package visitor

import (
	"fmt"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"strings"
)

// Slug is the quiz that is answered.
const Slug = "living-wall"

var placeField = regexp.MustCompile(`name="w" value="([^"]+)"`)

// steps are what is sent with each page, until the contact page.
var steps = []string{
	"", "area=medium", "light=bright", "decides=two", "budget=b10", "deadline=year", "staff=30", "country=ie",
}

// Begin fetches the first page and gives the first answers; how many pages are asked for is 1 to 8.
func Begin(client *http.Client, base string, pages int) error {
	_, err := answer(client, base, steps[:pages])
	return err
}

// Finish takes one respondent through the whole quiz to the planning pack. Without an error the last page was
// acknowledged.
func Finish(client *http.Client, base, email string) error {
	last := ".c.email=" + url.QueryEscape(email) + "&.consent=yes"
	page, err := answer(client, base, append(steps[:len(steps):len(steps)], last))
	if err == nil && !strings.Contains(page, "planning pack") {
		err = fmt.Errorf("ended at: %.300s", page)
	}
	return err
}

func answer(client *http.Client, base string, steps []string) (string, error) {
	page, err := read(client.Get(base + "/q/" + Slug))
	for _, step := range steps {
		if err != nil {
			return "", err
		}
		m := placeField.FindStringSubmatch(page)
		if m == nil {
			return "", fmt.Errorf("no place in: %.200s", page)
		}
		form, _ := url.ParseQuery(step)
		form.Set("w", m[1])
		page, err = read(client.PostForm(base+"/q/"+Slug, form))
	}
	return page, err
}

func read(r *http.Response, err error) (string, error) {
	if err != nil {
		return "", err
	}
	defer r.Body.Close()
	b, err := io.ReadAll(r.Body)
	return string(b), err
}
