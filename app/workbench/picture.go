package workbench

import "omphalos/core/quiz"

// Picture is a place of the document that takes a picture.
type Picture struct {
	Path     string // of what holds it
	Field    string // its name there; "" is image
	AltField string // "" is alt
	Name     string // what it is called; "" is picture
	Image    string
	Alt      string
	Credit   string
	Credits  bool // whether a credit line can be given here
}

// At is the place of the picture itself.
func (p Picture) At() string {
	if p.Field != "" {
		return p.Path + "/" + p.Field
	}
	return p.Path + "/image"
}

// AltAt is the place of its alternative text; "" where it has none.
func (p Picture) AltAt() string {
	switch {
	case p.AltField != "":
		return p.Path + "/" + p.AltField
	case p.Field != "":
		return ""
	}
	return p.Path + "/alt"
}

// Drop is the patch that takes the picture away.
func (p Picture) Drop() string { return quiz.JSON(quiz.Remove(p.At())) }
