package store

import (
	"context"
	"errors"
	"fmt"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"dogbane/internal/bookfile"
)

// upgrade writes the pieces of a book that an older program kept as today's format has them. One piece that has no way
// to today's format stays as it is: loading names it and leaves it out.
func (s *Store) upgrade(ctx context.Context) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		var head bookRow
		err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Take(&head).Error
		switch {
		case errors.Is(err, gorm.ErrRecordNotFound), err == nil && head.Format == bookfile.FormatNumber:
			return nil
		case err != nil:
			return err
		case head.Format > bookfile.FormatNumber:
			return fmt.Errorf("it was kept by a newer version of the program, in format %d; this one knows formats up to %d",
				head.Format, bookfile.FormatNumber)
		}
		settings, err := bookfile.Upgrade(head.Format, "settings", []byte(head.Settings))
		if err != nil {
			return err
		}
		var rows []itemRow
		if err := tx.Find(&rows).Error; err != nil {
			return err
		}
		for i := range rows {
			if doc, err := bookfile.Upgrade(head.Format, rows[i].Kind, []byte(rows[i].Doc)); err == nil {
				rows[i].Doc = string(doc)
			}
		}
		if len(rows) > 0 {
			if err := tx.Clauses(clause.OnConflict{DoUpdates: clause.AssignmentColumns([]string{"doc"})}).CreateInBatches(&rows,
				batchSize).Error; err != nil {
				return err
			}
		}
		head.Settings, head.Format = string(settings), bookfile.FormatNumber
		return tx.Save(&head).Error
	})
	if err != nil {
		return fmt.Errorf("bring the book to today's format: %w", err)
	}
	return nil
}
