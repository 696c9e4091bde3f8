package engine

import (
	"strings"

	"omphalos/core/fill"
	"omphalos/core/quiz"
)

// A card is what a link looks like in a chat or a feed (the Open Graph protocol, ogp.me). That of a shared result shows
// the outcome.

// CardTitle is the title of the card.
func (s Screen) CardTitle() string {
	if s.Result {
		return fill.Cut(s.Title, fill.MostInLine)
	}
	i := s.S.Doc.Intro
	heading := ""
	if i != nil {
		heading = i.Heading
	}
	return fill.Cut(quiz.FirstOf(s.S.Shared.Title, heading, s.S.Doc.Name), fill.MostInLine)
}

// CardText is its sentence.
func (s Screen) CardText() string {
	if s.Result {
		return s.S.Doc.Name
	}
	if i := s.S.Doc.Intro; i != nil && s.S.Shared.Text == "" && !strings.Contains(i.Text, "{") {
		return quiz.Shorten(i.Text, 200)
	}
	return s.S.Shared.Text
}

// CardImage is the address of its picture, which others fetch: "" where the server's own address is not known.
func (s Screen) CardImage() string {
	image := s.S.Shared.Image
	if i := s.S.Doc.Intro; image == "" && i != nil {
		image = i.Image
	}
	if s.Result && s.Outcome != nil {
		image = quiz.FirstOf(s.Outcome.Image, image)
	}
	if image = picturePath(image); image == "" || s.S.Origin == "" {
		return ""
	}
	return s.S.Origin + image
}

// CardURL is the address that the card stands for.
func (s Screen) CardURL() string {
	switch {
	case s.Result || s.S.Origin == "" && s.S.Shared.Canonical == "":
		return ""
	case s.S.Shared.Canonical != "":
		return s.S.Shared.Canonical
	}
	return s.S.Origin + s.S.Home
}
