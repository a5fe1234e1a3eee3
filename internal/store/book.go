package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

type bookRow struct {
	ID       int
	Version  int64
	Settings string
	Format   int
}

func (bookRow) TableName() string { return "book" }

type itemRow struct {
	Kind string `gorm:"primaryKey"`
	Code string `gorm:"primaryKey"`
	Seq  int64
	Doc  string
}

func (itemRow) TableName() string { return "items" }

// Version is the newest saved version of the book; 0 where there is no book yet.
func (s *Store) Version(ctx context.Context) (int64, error) {
	var version int64
	if err := s.db.WithContext(ctx).Raw("SELECT COALESCE(MAX(version), 0) FROM book").Scan(&version).Error; err != nil {
		return 0, fmt.Errorf("read the book's version: %w", err)
	}
	return version, nil
}

// Create saves a whole book into an empty database as version 1.
func (s *Store) Create(ctx context.Context, b *pricing.Book, who string, at time.Time) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		if err := tx.Create(&bookRow{1, 1, string(bookfile.EncodeSettings(&b.Settings)),
			bookfile.FormatNumber}).Error; err != nil {
			return err
		}
		var rows []itemRow
		var known []measures
		for _, piece := range book.Of(b) {
			doc := []byte(piece.After)
			if piece.Kind == book.Products {
				rest, m := book.SplitMeasures(doc)
				doc, known = rest, append(known, measures{piece.Code, m})
			}
			rows = append(rows, itemRow{piece.Kind, piece.Code, int64(len(rows)), string(doc)})
		}
		if len(rows) > 0 {
			if err := tx.CreateInBatches(rows, 500).Error; err != nil {
				return err
			}
		}
		if err := keepMeasures(tx, known); err != nil {
			return err
		}
		return tx.Create(&logRow{At: at, Who: who, Version: 1, Summary: "Set up the book", Changes: "[]",
			Format: bookfile.FormatNumber}).Error
	})
	if err != nil {
		return fmt.Errorf("save a new book: %w", err)
	}
	return nil
}

// Load reads the whole book at its newest version. Pieces that cannot be read are left out and named.
func (s *Store) Load(ctx context.Context) (*pricing.Book, int64, []book.Refused, error) {
	var head bookRow
	byKind := map[string][]book.Stored{}
	err := s.transaction(ctx, func(tx *gorm.DB) error { // one snapshot: version and items belong together
		if err := tx.Take(&head).Error; err != nil {
			return err
		}
		rows, err := tx.Raw("SELECT kind, code, doc, stock, sold FROM items LEFT JOIN measures ON kind = 'products' AND sku = code ORDER BY kind, seq").Rows()
		if err != nil {
			return err
		}
		defer rows.Close()
		for rows.Next() {
			var kind string
			var one book.Stored
			var m book.Quantities
			if err := rows.Scan(&kind, &one.Code, &one.Doc, &m.Stock, &m.Sold); err != nil {
				return err
			}
			one.Doc = m.Join(one.Doc)
			byKind[kind] = append(byKind[kind], one)
		}
		return rows.Err()
	})
	if err != nil {
		return nil, 0, nil, fmt.Errorf("load the book: %w", err)
	}
	b, refused, err := book.Assemble(head.Settings, byKind)
	if err != nil {
		return nil, 0, nil, fmt.Errorf("read the stored book: %w", err)
	}
	return b, head.Version, refused, nil
}

// batchSize is how many items one statement writes, partSize how many changes a part of a log entry holds.
const batchSize, partSize = 2000, 500

// Write writes an edit in one transaction and returns its log entry, or a *book.Conflict where a piece is no longer as
// the edit found it.
func (s *Store) Write(ctx context.Context, edit book.Edit) (book.Entry, error) {
	edit.Summary = shorten(edit.Summary, 500)
	entry := book.Entry{At: edit.At, Who: edit.Who, Summary: edit.Summary, Changes: edit.Changes, Undoes: edit.Undoes}
	var parts [][]byte
	var packErr error
	packing := pricing.Begin(func() { parts, packErr = pack(edit.Changes) }) // while the database writes
	defer packing.Wait()
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		var head bookRow
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Take(&head).Error; err != nil {
			return err
		}
		var seq int64
		if err := tx.Raw("SELECT COALESCE(MAX(seq), 0) FROM items").Scan(&seq).Error; err != nil {
			return err
		}
		for from := 0; from < len(edit.Changes); from += batchSize {
			if err := saveBatch(tx, &head, edit.Changes[from:min(from+batchSize, len(edit.Changes))], &seq); err != nil {
				return err
			}
			if edit.Progress != nil {
				edit.Progress(min(from+batchSize, len(edit.Changes)))
			}
		}
		head.Version++
		entry.Version = head.Version
		if err := tx.Save(&head).Error; err != nil {
			return err
		}
		row := logRow{At: edit.At.UTC(), Who: edit.Who, Version: head.Version, Summary: edit.Summary, Changes: "[]",
			Undoes: edit.Undoes, Format: bookfile.FormatNumber}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		if packing.Wait(); packErr != nil {
			return packErr
		}
		if err := logChanges(tx, row.ID, edit.Changes, parts); err != nil {
			return err
		}
		for _, c := range edit.Changes {
			if c.Kind == book.Channels && c.After == nil {
				if err := forgetChannel(tx, c.Code); err != nil {
					return err
				}
			}
		}
		entry.ID = row.ID
		return nil
	})
	var conflict *book.Conflict
	if errors.As(err, &conflict) {
		return book.Entry{}, conflict
	}
	if err != nil {
		return book.Entry{}, fmt.Errorf("save %q: %w", edit.Summary, err)
	}
	return entry, nil
}
