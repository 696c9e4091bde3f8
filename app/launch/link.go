package launch

import (
	"net/url"

	"github.com/gin-gonic/gin"

	"omphalos/app/edit"
	"omphalos/app/store"
)

// linkPart is the link, and the places that it is put.
type linkPart struct {
	Address string
	Places  []placeView
	Chosen  *placeView // whose QR code is shown; nil for that of the bare link
	Code    string     // query of the code
	Frames  string     // sites that may frame the quiz, one a line
	Level   string
	Words   string
	Levels  []level
}

// level is how much of a QR code may be covered or worn.
type level struct {
	Key, Says string
	Selected  bool
}

// placeView is a place with its link.
type placeView struct {
	store.Place
	Address  string
	Finishes int
}

// addressOf is the link of a place.
func addressOf(base, slug string, p *store.Place) string {
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

func (h *Handler) link(s *view, a *store.Access, query url.Values) (*linkPart, error) {
	p := &linkPart{Address: addressOf(s.Base, s.Slug, nil), Level: query.Get("level"), Words: query.Get("words")}
	for i, f := range a.Frames {
		if i > 0 {
			p.Frames += "\n"
		}
		p.Frames += f
	}
	list, err := h.Store.PutPlaces(s.Draft.Quiz.ID)
	if err != nil {
		return nil, err
	}
	sources, err := h.Store.SourceCounts(s.Draft.Quiz.ID)
	if err != nil {
		return nil, err
	}
	for i := range list {
		v := placeView{Place: list[i], Address: addressOf(s.Base, s.Slug, &list[i]), Finishes: sources[list[i].Source]}
		p.Places = append(p.Places, v)
		if list[i].ID == query.Get("place") {
			p.Chosen = &v
		}
	}
	for _, l := range levels {
		l.Selected = l.Key == p.Level || p.Level == "" && l.Key == "M"
		p.Levels = append(p.Levels, l)
	}
	code := url.Values{}
	for _, name := range []string{"place", "level", "words"} {
		if value := query.Get(name); value != "" {
			code.Set(name, value)
		}
	}
	p.Code = code.Encode()
	return p, nil
}

func (h *Handler) addPlace(c *gin.Context, who edit.Actor, id string) error {
	return h.Bench.Editor.AddPlace(who, &store.Place{
		QuizID: id, Name: c.PostForm("name"), Source: c.PostForm("source"), Medium: c.PostForm("medium"), Campaign: c.PostForm("campaign"),
	})
}
