package store

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/publish/pieces"
)

// KeepBook keeps a version of the book that a channel may come to run on.
func (s *Store) KeepBook(ctx context.Context, version int64, book func() []byte) error {
	var known int64
	err := s.db.WithContext(ctx).Raw("SELECT COUNT(*) FROM published_books WHERE version = ?", version).Scan(&known).Error
	if err == nil && known == 0 {
		err = s.db.WithContext(ctx).Exec("INSERT IGNORE INTO published_books (version, book) VALUES (?, ?)", version,
			packed(book())).Error
	}
	if err != nil {
		return fmt.Errorf("keep version %d of the book: %w", version, err)
	}
	return nil
}

// KeptBook is a version of the book that a channel runs on, as a document.
func (s *Store) KeptBook(ctx context.Context, version int64) ([]byte, error) {
	var rows [][]byte
	err := s.db.WithContext(ctx).Raw("SELECT book FROM published_books WHERE version = ?", version).Scan(&rows).Error
	if err == nil && len(rows) == 0 {
		err = publish.ErrForgotten
	}
	var book []byte
	if err == nil {
		book, err = unpacked(rows[0])
	}
	if err != nil {
		return nil, fmt.Errorf("read version %d of the book: %w", version, err)
	}
	return book, nil
}

// Adopt has the saved book be the one that is published in channels which show prices but of which an older program did
// not keep what they run on. book writes that version.
func (s *Store) Adopt(ctx context.Context, version int64, book func() []byte) error {
	var channels []string
	err := s.db.WithContext(ctx).Raw(`SELECT channel FROM channel_states s WHERE base IS NULL AND book = 0 AND version IS NULL
		AND EXISTS (SELECT 1 FROM shown_prices p WHERE p.channel = s.channel)`).Scan(&channels).Error
	if err == nil && len(channels) > 0 {
		if err = s.KeepBook(ctx, version, book); err == nil {
			err = s.db.WithContext(ctx).Exec(`UPDATE channel_states SET base = ?, version = ?, book = 1, revision = revision + 1
				WHERE channel IN ? AND base IS NULL`, version, version, channels).Error
		}
	}
	if err != nil {
		return fmt.Errorf("say what channels run on: %w", err)
	}
	return nil
}

// Shorten has a published book that began as a kept one begin with what it was after a publication. Such a book is kept
// under that publication's number, negative: it is no saved version.
func (s *Store) Shorten(ctx context.Context, channel string, base, upTo int64, doc []byte) (int64, error) {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		var now int64
		if err := tx.Raw("SELECT COALESCE(base, 0) FROM channel_states WHERE channel = ? FOR UPDATE", channel).Scan(
			&now).Error; err != nil {
			return err
		}
		if now != base {
			return publish.ErrStale
		}
		for _, step := range []struct {
			sql    string
			values []any
		}{
			{"REPLACE INTO published_books (version, book) VALUES (?, ?)", []any{-upTo, packed(doc)}},
			{"UPDATE channel_states SET base = ?, base_by = ? WHERE channel = ?", []any{-upTo, upTo, channel}},
			{"DELETE FROM published_by WHERE channel = ? AND publication <= ?", []any{channel, upTo}},
		} {
			if err := tx.Exec(step.sql, step.values...).Error; err != nil {
				return err
			}
		}
		return dropBooks(tx)
	})
	if err != nil {
		return 0, fmt.Errorf("shorten what is published in channel %q: %w", channel, err)
	}
	return -upTo, nil
}

// dropBooks drops kept books on which nothing rests any more.
func dropBooks(tx *gorm.DB) error {
	return tx.Exec(`DELETE FROM published_books WHERE version NOT IN (SELECT base FROM channel_states WHERE base IS NOT NULL)
		AND version NOT IN (SELECT version FROM publications WHERE status IN ? AND brings = ?)`,
		[]publish.State{publish.Queued, publish.Sending, publish.Waiting, publish.Prepared}, publish.BringsBook).Error
}

// PublishedBy are the publications whose pieces are in the book that is published in a channel, by their number.
func (s *Store) PublishedBy(ctx context.Context, channel string) (ids []int64, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT publication FROM published_by WHERE channel = ? ORDER BY publication",
		channel).Scan(&ids).Error
	if err != nil {
		return nil, fmt.Errorf("read what was published in channel %q: %w", channel, err)
	}
	return ids, nil
}

// piecesPerPart is how many pieces are packed together, so that each row fits into a packet.
const piecesPerPart = 2000

// keepBrought keeps what a publication brings.
func keepBrought(tx *gorm.DB, id int64, b *pieces.Brought) error {
	part := 0
	keep := func(some pieces.Brought) error {
		part++
		return tx.Exec("INSERT INTO publication_pieces (publication, part, pieces) VALUES (?, ?, ?)", id, part,
			packed([]byte(*jsonText(some)))).Error
	}
	kept, held := b.Kept, b.Held // as many as changes, or none
	for some := range slices.Chunk(b.Changes, piecesPerPart) {
		n := min(len(held), len(some))
		if err := keep(pieces.Brought{Changes: some, Kept: kept, Held: held[:n]}); err != nil {
			return err
		}
		kept, held = nil, held[n:]
	}
	return nil
}

// Brought is what a publication brings, or brought, into the published book.
func (s *Store) Brought(ctx context.Context, id int64) (pieces.Brought, error) {
	b, err := brought(s.db.WithContext(ctx), id)
	if err != nil {
		return b, fmt.Errorf("read what publication %d brings: %w", id, err)
	}
	return b, nil
}

func brought(db *gorm.DB, id int64) (b pieces.Brought, err error) {
	var parts [][]byte
	if err := db.Raw("SELECT pieces FROM publication_pieces WHERE publication = ? ORDER BY part", id).Scan(
		&parts).Error; err != nil {
		return b, err
	}
	for _, part := range parts {
		doc, err := unpacked(part)
		if err != nil {
			return b, err
		}
		var some pieces.Brought
		if err := json.Unmarshal(doc, &some); err != nil {
			return b, err
		}
		b.Changes, b.Kept = append(b.Changes, some.Changes...), append(b.Kept, some.Kept...)
		b.Held = append(b.Held, some.Held...)
	}
	return b, nil
}

// HeldPieces are the pieces that were taken back in a channel, each as the saved book had it; nil: it was gone there.
func (s *Store) HeldPieces(ctx context.Context, channel string) (map[pieces.Key]json.RawMessage, error) {
	var rows []struct {
		Kind, Code string
		Doc        []byte
	}
	err := s.db.WithContext(ctx).Raw("SELECT kind, code, doc FROM held_pieces WHERE channel = ?", channel).Scan(&rows).Error
	held := map[pieces.Key]json.RawMessage{}
	for _, r := range rows {
		k := pieces.Key{Kind: r.Kind, Code: r.Code}
		if held[k] = nil; r.Doc != nil && err == nil {
			held[k], err = unpacked(r.Doc)
		}
	}
	if err != nil {
		return nil, fmt.Errorf("read which pieces are held back in channel %q: %w", channel, err)
	}
	return held, nil
}

// ReleasePieces lets go of pieces that are held back in a channel.
func (s *Store) ReleasePieces(ctx context.Context, channel string, keys []pieces.Key) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		if err := releasePieces(tx, channel, keys); err != nil {
			return err
		}
		return tx.Exec("UPDATE channel_states SET book = book + 1, revision = revision + 1 WHERE channel = ?", channel).Error
	})
	if err != nil {
		return fmt.Errorf("release pieces of channel %q: %w", channel, err)
	}
	return nil
}

func releasePieces(tx *gorm.DB, channel string, keys []pieces.Key) error {
	byKind := map[string][]string{}
	for _, k := range keys {
		byKind[k.Kind] = append(byKind[k.Kind], k.Code)
	}
	for kind, codes := range byKind {
		for some := range slices.Chunk(codes, batchSize) {
			if err := tx.Exec("DELETE FROM held_pieces WHERE channel = ? AND kind = ? AND code IN ?", channel, kind,
				some).Error; err != nil {
				return err
			}
		}
	}
	return nil
}

// enter brings what a publication brings into the book that is published in its channel. It may be said more than once.
// What a later publication brought stays: pieces are applied in the order of the publications' numbers, and nothing
// comes from before the one that brought the whole book.
func enter(tx *gorm.DB, p *publish.Publication) error {
	var state struct{ BaseBy int64 }
	if err := tx.Raw("SELECT base_by FROM channel_states WHERE channel = ?", p.Channel).Scan(&state).Error; err != nil ||
		p.Brings == publish.BringsNothing || state.BaseBy >= p.ID {
		return err
	}
	var entered int64
	if err := tx.Raw("SELECT COUNT(*) FROM published_by WHERE channel = ? AND publication = ?", p.Channel, p.ID).Scan(
		&entered).Error; err != nil || entered > 0 {
		return err
	}
	if err := decideLines(tx, p); err != nil {
		return err
	}
	switch p.Brings {
	case publish.BringsPieces:
		if err := tx.Exec("INSERT INTO published_by (channel, publication) VALUES (?, ?)", p.Channel, p.ID).Error; err != nil {
			return err
		}
		b, err := brought(tx, p.ID)
		if err != nil {
			return err
		}
		if err := releasePieces(tx, p.Channel, b.Keys()); err != nil {
			return err
		}
		if p.Kind == publish.TakeBack {
			if err := holdPieces(tx, p.Channel, b.Held); err != nil {
				return err
			}
		}
	case publish.BringsBook:
		if err := tx.Exec("UPDATE channel_states SET base = ?, base_by = ? WHERE channel = ?", p.Version, p.ID,
			p.Channel).Error; err != nil {
			return err
		}
		if err := tx.Exec("DELETE FROM published_by WHERE channel = ? AND publication < ?", p.Channel, p.ID).Error; err != nil {
			return err
		}
		if err := tx.Exec("DELETE FROM held_pieces WHERE channel = ?", p.Channel).Error; err != nil {
			return err
		}
	case publish.BringsNone:
		if err := tx.Exec("UPDATE channel_states SET base = NULL, base_by = ?, version = NULL, due_after = NULL WHERE channel = ?",
			p.ID, p.Channel).Error; err != nil {
			return err
		}
		if err := tx.Exec("DELETE FROM published_by WHERE channel = ?", p.Channel).Error; err != nil {
			return err
		}
	}
	if err := tx.Exec("UPDATE channel_states SET book = book + 1 WHERE channel = ?", p.Channel).Error; err != nil {
		return err
	}
	if p.Kind == publish.ByHand || p.Kind == publish.Rest {
		// The moments up to its own are dealt with, those after it are due, also where they were told ahead before.
		if err := tx.Exec(`UPDATE channel_states SET version = ?, due_after = ? WHERE channel = ? AND NOT EXISTS (SELECT 1
			FROM published_by b WHERE b.channel = channel_states.channel AND b.publication > ?)`, p.Version, int64(p.At),
			p.Channel, p.ID).Error; err != nil {
			return err
		}
	}
	return dropBooks(tx)
}

// decideLines keeps what was decided with a publication of lines that differ later.
func decideLines(tx *gorm.DB, p *publish.Publication) error {
	if p.Brings != publish.BringsPieces {
		if err := tx.Exec("DELETE FROM planned_lines WHERE channel = ?", p.Channel).Error; err != nil {
			return err
		}
	}
	for some := range slices.Chunk(p.Named.Redecide, batchSize) {
		if err := tx.Exec("DELETE FROM planned_lines WHERE channel = ? AND publication < ? AND sku IN ?", p.Channel, p.ID,
			some).Error; err != nil {
			return err
		}
	}
	var rows []plannedLine
	for sku, d := range p.Named.Decided {
		rows = append(rows, plannedLine{p.Channel, sku, p.ID, d.Reason, int64(d.Until)})
	}
	if len(rows) == 0 {
		return nil
	}
	return tx.Clauses(clause.OnConflict{UpdateAll: true}).CreateInBatches(&rows, batchSize).Error
}

// plannedLine is a row of the table of that name.
type plannedLine struct {
	Channel     string `gorm:"primaryKey"`
	SKU         string `gorm:"primaryKey"`
	Publication int64
	Reason      string
	Until       int64
}

// Decisions are what was decided of lines that differ later in a channel, by SKU.
func (s *Store) Decisions(ctx context.Context, channel string) (map[string]publish.Decision, error) {
	var rows []plannedLine
	if err := s.db.WithContext(ctx).Where("channel = ?", channel).Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("read what is decided of later lines of channel %q: %w", channel, err)
	}
	decided := make(map[string]publish.Decision, len(rows))
	for _, r := range rows {
		decided[r.SKU] = publish.Decision{Reason: r.Reason, Until: pricing.Moment(r.Until)}
	}
	return decided, nil
}

// holdPieces keeps pieces that were given back from being brought again as the saved book has them.
func holdPieces(tx *gorm.DB, channel string, held []book.Change) error {
	for _, c := range held {
		var doc []byte
		if c.After != nil {
			doc = packed(c.After)
		}
		if err := tx.Exec("REPLACE INTO held_pieces (channel, kind, code, doc) VALUES (?, ?, ?, ?)", channel, c.Kind, c.Code,
			doc).Error; err != nil {
			return err
		}
	}
	return nil
}

// forgetChannel forgets what was published in a channel that goes from the book.
func forgetChannel(tx *gorm.DB, channel string) error {
	for _, table := range []string{"published_by", "held_pieces", "open_lines", "planned_lines"} {
		if err := tx.Exec("DELETE FROM "+table+" WHERE channel = ?", channel).Error; err != nil {
			return err
		}
	}
	return tx.Exec(`UPDATE channel_states SET base = NULL, base_by = 0, version = NULL, due_after = NULL, book = book + 1,
		revision = revision + 1 WHERE channel = ?`, channel).Error
}
