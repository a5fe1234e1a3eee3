package store

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"dogbane/internal/images"
)

type imageRow struct {
	Name, Kind string
	Data       []byte
	Who        string
	At         time.Time
}

func (imageRow) TableName() string { return "images" }

// KeepImage keeps an image by its name; one that is there stays.
func (s *Store) KeepImage(ctx context.Context, i images.Image, who string, at time.Time) error {
	row := imageRow{i.Name, i.Kind, i.Data, who, at}
	if err := s.db.WithContext(ctx).Clauses(clause.Insert{Modifier: "IGNORE"}).Create(&row).Error; err != nil {
		return fmt.Errorf("keep an image: %w", err)
	}
	return nil
}

// Image is a kept image.
func (s *Store) Image(ctx context.Context, name string) (images.Image, error) {
	if strings.ContainsFunc(name, func(r rune) bool { return r > '~' }) { // names are ASCII; the column compares no others
		return images.Image{}, fmt.Errorf("image %s: %w", name, ErrNotFound)
	}
	var row imageRow
	err := s.db.WithContext(ctx).Where("name = ?", name).Take(&row).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return images.Image{}, fmt.Errorf("image %s: %w", name, ErrNotFound)
	}
	if err != nil {
		return images.Image{}, fmt.Errorf("read an image: %w", err)
	}
	return images.Image{Name: row.Name, Kind: row.Kind, Data: row.Data}, nil
}
