package launch

import (
	"html/template"
	"net/url"
	"slices"

	"github.com/gin-gonic/gin"

	"omphalos/app/edit"
	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
)

// linkPart is the link, and the places that it is put.
type linkPart struct {
	Address string
	Places  []placeView
	Code    *codeView
	Frames  string   // sites that may frame the quiz, one a line
	Unkept  []string // parameters of these links that responses do not keep
	Keep    string   // the patch that keeps them
}

// codeView is a QR code on the page: of the bare link, or of a place.
type codeView struct {
	Quiz, Place  string // ids; no place for the bare link
	Level, Words string
	Levels       []level
}

// At returns the address of the code as "svg", "png" or "" for the sheet to print, with more parameters by name and value.
// It is whole and escaped.
func (v *codeView) At(as string, more ...string) template.URL {
	query := url.Values{}
	for pair := range slices.Chunk(append([]string{"place", v.Place, "level", v.Level, "words", v.Words}, more...), 2) {
		if pair[1] != "" {
			query.Set(pair[0], pair[1])
		}
	}
	address := "/quizzes/" + v.Quiz + "/launch/qr"
	if as != "" {
		address += "." + as
	}
	if len(query) > 0 {
		address += "?" + query.Encode()
	}
	return template.URL(address)
}

// level is how much of a QR code may be covered or worn.
type level struct {
	Key, Says string
	Selected  bool
}

// placeView is a place with its link.
type placeView struct {
	documents.Place
	Address  string
	Finishes int
	Code     *codeView
	Open     bool // its code is shown large
}

// addressOf is the link of a place.
func addressOf(base, slug string, p *documents.Place) string {
	address := base + "/q/" + slug
	if p == nil {
		return address
	}
	query := url.Values{"utm_source": {p.Source}}
	if p.Medium != "" {
		query.Set("utm_medium", p.Medium)
	}
	if p.Campaign != "" {
		query.Set("utm_campaign", p.Campaign)
	}
	return address + "?" + query.Encode()
}

func (h *Handler) link(s *view, a *responses.Access, query url.Values) (*linkPart, error) {
	p := &linkPart{Address: addressOf(s.Base, s.Slug, nil)}
	code := func(place string) *codeView {
		v := &codeView{Quiz: s.Draft.Quiz.ID, Place: place}
		if place == query.Get("place") {
			v.Level, v.Words = query.Get("level"), query.Get("words")
		}
		for _, l := range levels {
			l.Selected = l.Key == quiz.FirstOf(v.Level, usualLevel)
			v.Levels = append(v.Levels, l)
		}
		return v
	}
	for i, f := range a.Frames {
		if i > 0 {
			p.Frames += "\n"
		}
		p.Frames += f
	}
	list, err := h.Store.Documents.PutPlaces(s.Draft.Quiz.ID)
	if err != nil {
		return nil, err
	}
	sources, err := h.Store.Tallies.SourceCounts(s.Draft.Quiz.ID)
	if err != nil {
		return nil, err
	}
	for i := range list {
		p.Places = append(p.Places, placeView{
			Place: list[i], Address: addressOf(s.Base, s.Slug, &list[i]), Finishes: sources[list[i].Source],
			Code: code(list[i].ID), Open: list[i].ID == query.Get("place"),
		})
	}
	p.Code = code("")
	p.unkept(s.Draft.Doc, list)
	return p, nil
}

// unkept finds the parameters of links that the quiz does not keep with responses. The source is always kept.
func (p *linkPart) unkept(d *quiz.Document, places []documents.Place) {
	uses := func(of func(*documents.Place) string) bool {
		return slices.ContainsFunc(places, func(one documents.Place) bool { return of(&one) != "" })
	}
	var keep []quiz.Operation
	for _, param := range []struct {
		name string
		of   func(*documents.Place) string
	}{
		{"utm_medium", func(one *documents.Place) string { return one.Medium }},
		{"utm_campaign", func(one *documents.Place) string { return one.Campaign }},
	} {
		if uses(param.of) && !slices.Contains(d.Params, param.name) {
			p.Unkept = append(p.Unkept, param.name)
			keep = append(keep, workbench.AddTo("/params", param.name))
		}
	}
	if len(keep) > 0 {
		p.Keep = quiz.JSON(keep...)
	}
}

func (h *Handler) addPlace(c *gin.Context, who edit.Actor, id string) error {
	return h.Bench.Editor.AddPlace(who, &documents.Place{
		QuizID: id, Name: c.PostForm("name"), Source: c.PostForm("source"), Medium: c.PostForm("medium"), Campaign: c.PostForm("campaign"),
	})
}
