package documents

import (
	"fmt"
	"time"

	"gorm.io/gorm/clause"

	"omphalos/app/store/database"
)

// AddPicture stores a picture with its sizes; one that is there already stays as it is.
func (s *Store) AddPicture(p *Picture, sizes []PictureSize) error {
	for i := range sizes {
		if s.objects == nil {
			break
		}
		if err := s.objects.Put(keyOf(p.ID, sizes[i].Width), sizes[i].Type, sizes[i].Data); err != nil {
			return err
		}
		sizes[i].Data = nil
	}
	if err := s.Write.Clauses(clause.OnConflict{DoNothing: true}).Create(p).Error; err != nil {
		return err
	}
	for i := range sizes {
		sizes[i].PictureID = p.ID
	}
	return s.Write.Clauses(clause.OnConflict{DoNothing: true}).Create(&sizes).Error
}

// DescribePicture stores what a picture shows and whom it is by.
func (s *Store) DescribePicture(id, alt, credit string) error {
	return database.Changed(
		s.Write.Model(&Picture{}).Where("id = ?", id).Updates(map[string]any{"alt": alt, "credit": credit}),
	)
}

// Picture returns what is known of a picture.
func (s *Store) Picture(id string) (*Picture, error) {
	var p Picture
	err := s.Read.Where("id = ?", id).First(&p).Error
	return &p, database.NotFound(err)
}

// Pictures returns the library, the newest first.
func (s *Store) Pictures() ([]Picture, error) {
	var list []Picture
	err := s.Read.Order("created_at DESC, id").Find(&list).Error
	return list, err
}

// PictureSize returns a picture at the least width that is not under the wanted one, or at its greatest.
func (s *Store) PictureSize(id string, width int) (*PictureSize, error) {
	nearest := clause.Expr{
		SQL:  "width < ?, CASE WHEN width < ? THEN -width ELSE width END",
		Vars: []any{width, width},
	}
	var size PictureSize
	err := s.Read.Where("picture_id = ?", id).Clauses(clause.OrderBy{Expression: nearest}).Take(&size).Error
	if err == nil && len(size.Data) == 0 && s.objects != nil {
		size.Data, err = s.objects.Get(keyOf(id, size.Width))
	}
	return &size, database.NotFound(err)
}

// keyOf is the key of a picture among objects.
func keyOf(id string, width int) string { return fmt.Sprintf("%s/%d", id, width) }

// Picture is one image of the library, in the sizes that pages ask for.
type Picture struct {
	ID        string `gorm:"primaryKey"` // hash of what was uploaded, so that the same picture is kept once
	Name      string
	Alt       string
	Credit    string
	Width     int
	Height    int
	CreatedAt time.Time
}

// PictureSize is a picture at one width, encoded.
type PictureSize struct {
	PictureID string `gorm:"primaryKey"`
	Width     int    `gorm:"primaryKey;autoIncrement:false"`
	Type      string // image/jpeg or image/png
	Data      []byte
}

// Objects keep what is large outside of the database.
type Objects interface {
	Put(key, kind string, data []byte) error
	Get(key string) ([]byte, error)
}
