package store

import (
	"encoding/json"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
)

// written is a change as it goes into the tables.
type written struct {
	book.Change
	before, after     []byte // of a product: without its measures
	measured, measure book.Quantities
}

// touches reports whether the change is about a product's measures.
func (w *written) touches() bool {
	return w.Kind == book.Measures || w.Kind == book.Products && (w.After == nil || !w.measured.Same(w.measure))
}

func asWritten(changes []book.Change) []written {
	list := make([]written, len(changes))
	pricing.InParallel(len(changes), func(from, to int) {
		for i := from; i < to; i++ {
			c := changes[i]
			w := written{Change: c, before: c.Before, after: c.After}
			if c.Kind == book.Products || c.Kind == book.Measures {
				if c.Before != nil {
					w.before, w.measured = book.SplitMeasures(c.Before)
				}
				if c.After != nil {
					w.after, w.measure = book.SplitMeasures(c.After)
				}
			}
			list[i] = w
		}
	})
	return list
}

func saveBatch(tx *gorm.DB, head *bookRow, changes []book.Change, seq *int64) error {
	batch := asWritten(changes)
	byKind := map[string][]string{}
	var measured []string
	for i := range batch {
		if w := &batch[i]; w.Kind != book.Measures && w.Kind != book.Settings {
			byKind[w.Kind] = append(byKind[w.Kind], w.Code)
		}
		if batch[i].touches() {
			measured = append(measured, batch[i].Code)
		}
	}
	now := map[[2]string]itemRow{}
	for kind, codes := range byKind {
		var rows []itemRow
		if err := tx.Where("kind = ? AND code IN ?", kind, codes).Find(&rows).Error; err != nil {
			return err
		}
		for _, r := range rows {
			now[[2]string{r.Kind, r.Code}] = r
		}
	}
	var known map[string]measures
	if len(measured) > 0 {
		var err error
		if known, err = measuresOf(tx, measured); err != nil {
			return err
		}
	}
	var upserts []itemRow
	var keep []measures
	gone := map[string][]string{}
	for i := range batch {
		w := &batch[i]
		if w.touches() {
			if have := known[w.Code]; w.Before != nil && !have.Same(w.measured) {
				doc := []byte("{}")
				if w.Kind == book.Products {
					doc = []byte(now[[2]string{w.Kind, w.Code}].Doc)
				}
				return &book.Conflict{Kind: w.Kind, Code: w.Code, Now: have.Join(doc)}
			}
			if w.After == nil {
				w.measure = book.Quantities{}
			}
			keep = append(keep, measures{w.Code, w.measure})
		}
		if w.Kind == book.Measures {
			continue
		}
		if w.Kind == book.Settings {
			if !book.SameDoc(w.Kind, w.Before, []byte(head.Settings)) {
				return &book.Conflict{Kind: w.Kind, Code: w.Code, Now: json.RawMessage(head.Settings)}
			}
			head.Settings = string(w.After)
			continue
		}
		row, exists := now[[2]string{w.Kind, w.Code}]
		if exists != (w.Before != nil) || exists && !book.SameDoc(w.Kind, []byte(row.Doc), w.before) {
			conflict := &book.Conflict{Kind: w.Kind, Code: w.Code}
			if exists {
				conflict.Now = w.measured.Join([]byte(row.Doc))
			}
			return conflict
		}
		if w.After == nil {
			gone[w.Kind] = append(gone[w.Kind], w.Code)
			continue
		}
		if exists && string(w.after) == row.Doc {
			continue // only its measures change
		}
		if !exists {
			*seq++
			row.Seq = *seq
		}
		upserts = append(upserts, itemRow{w.Kind, w.Code, row.Seq, string(w.after)})
	}
	for kind, codes := range gone {
		if err := tx.Where("kind = ? AND code IN ?", kind, codes).Delete(&itemRow{}).Error; err != nil {
			return err
		}
	}
	if err := keepMeasures(tx, keep); err != nil {
		return err
	}
	if len(upserts) == 0 {
		return nil
	}
	return tx.Clauses(clause.OnConflict{DoUpdates: clause.AssignmentColumns([]string{"doc"})}).Create(&upserts).Error
}
