package store

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
)

type logRow struct {
	ID      int64
	At      time.Time
	Who     string
	Version int64
	Summary string
	Changes string
	Undoes  *int64
	Format  int
}

func (logRow) TableName() string { return "log" }

type logPart struct {
	Entry   int64
	Part    int
	Changes []byte
}

type logPiece struct {
	Kind, Code string
	Entry      int64
	Part       int
}

// pack writes changes as packed JSON, in parts that each fit into a packet.
func pack(changes []book.Change) ([][]byte, error) {
	var parts [][]byte
	for batch := range slices.Chunk(changes, partSize) {
		var packed bytes.Buffer
		w, err := gzip.NewWriterLevel(&packed, gzip.BestSpeed)
		if err == nil {
			enc := json.NewEncoder(w)
			enc.SetEscapeHTML(false) // pieces stand in the log as they are kept
			err = errors.Join(enc.Encode(batch), w.Close())
		}
		if err != nil {
			return nil, fmt.Errorf("pack the changes: %w", err)
		}
		parts = append(parts, packed.Bytes())
	}
	return parts, nil
}

func unpack(part []byte) ([]book.Change, error) {
	r, err := gzip.NewReader(bytes.NewReader(part))
	if err != nil {
		return nil, err
	}
	var changes []book.Change
	return changes, json.NewDecoder(r).Decode(&changes)
}

// logChanges keeps what an entry changed, and which pieces those were.
func logChanges(tx *gorm.DB, entry int64, changes []book.Change, parts [][]byte) error {
	for part, packed := range parts {
		if err := tx.Create(&logPart{entry, part, packed}).Error; err != nil {
			return err
		}
		batch := changes[part*partSize : min((part+1)*partSize, len(changes))]
		pieces := make([]logPiece, len(batch))
		for i, c := range batch {
			pieces[i] = logPiece{c.Kind, c.Code, entry, part}
		}
		if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&pieces).Error; err != nil {
			return err
		}
	}
	return nil
}

// Log is the newest entries, newest first, without what they changed.
func (s *Store) Log(ctx context.Context, limit int) ([]book.Entry, error) {
	var rows []struct {
		ID       int64
		At       time.Time
		Who      string
		Version  int64
		Summary  string
		Undoes   *int64
		UndoneBy *int64
		Moved    *int
	}
	err := s.db.WithContext(ctx).Raw(`SELECT l.id, l.at, l.who, l.version, l.summary, l.undoes, l.moved, u.id AS undone_by
		FROM log l LEFT JOIN log u ON u.undoes = l.id ORDER BY l.id DESC LIMIT ?`, limit).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("read the log: %w", err)
	}
	entries := make([]book.Entry, len(rows))
	for i, r := range rows {
		entries[i] = book.Entry{ID: r.ID, At: r.At, Who: r.Who, Version: r.Version, Summary: r.Summary, Undoes: r.Undoes,
			UndoneBy: r.UndoneBy, Moved: r.Moved}
	}
	return entries, nil
}

// LogEntry is one entry with its changes.
func (s *Store) LogEntry(ctx context.Context, id int64) (book.Entry, error) {
	var row logRow
	err := s.db.WithContext(ctx).Take(&row, id).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return book.Entry{}, fmt.Errorf("log entry %d: %w", id, ErrNotFound)
	}
	if err != nil {
		return book.Entry{}, fmt.Errorf("read log entry %d: %w", id, err)
	}
	e := book.Entry{ID: row.ID, At: row.At, Who: row.Who, Version: row.Version, Summary: row.Summary, Undoes: row.Undoes}
	if err := json.Unmarshal([]byte(row.Changes), &e.Changes); err != nil { // entries of older versions keep all here
		return book.Entry{}, fmt.Errorf("read log entry %d: %w", id, err)
	}
	var parts []logPart
	if err := s.db.WithContext(ctx).Where("entry = ?", id).Order("part").Find(&parts).Error; err != nil {
		return book.Entry{}, fmt.Errorf("read log entry %d: %w", id, err)
	}
	for _, part := range parts {
		changes, err := unpack(part.Changes)
		if err != nil {
			return book.Entry{}, fmt.Errorf("read log entry %d: %w", id, err)
		}
		e.Changes = append(e.Changes, changes...)
	}
	return e, upgradeChanges(e.Changes, row.Format)
}

// upgradeChanges brings what an older program kept of pieces to today's format.
func upgradeChanges(changes []book.Change, format int) error {
	if format == bookfile.FormatNumber {
		return nil
	}
	for i := range changes {
		c := &changes[i]
		for _, doc := range []*json.RawMessage{&c.Before, &c.After} {
			if *doc == nil {
				continue
			}
			piece, err := bookfile.Upgrade(format, c.Kind, *doc)
			if err != nil {
				return fmt.Errorf("read what was changed of %s %q: %w", c.Kind, c.Code, err)
			}
			*doc = piece
		}
	}
	return nil
}

// History are the newest entries that changed a piece, newest first, each with that change alone.
func (s *Store) History(ctx context.Context, kind, code string, limit int) ([]book.Entry, error) {
	var rows []struct {
		ID      int64
		At      time.Time
		Who     string
		Version int64
		Summary string
		Undoes  *int64
		Format  int
		Part    []byte
	}
	kinds := []string{kind}
	if kind == book.Products {
		kinds = append(kinds, book.Measures)
	}
	err := s.db.WithContext(ctx).Raw(`SELECT l.id, l.at, l.who, l.version, l.summary, l.undoes, l.format, c.changes AS part
		FROM log_pieces p JOIN log l ON l.id = p.entry JOIN log_parts c ON c.entry = p.entry AND c.part = p.part
		WHERE p.kind IN ? AND p.code = ? ORDER BY p.entry DESC LIMIT ?`, kinds, code, limit).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("read the history of %s %q: %w", kind, code, err)
	}
	var list []book.Entry
	for _, r := range rows {
		e := book.Entry{ID: r.ID, At: r.At, Who: r.Who, Version: r.Version, Summary: r.Summary, Undoes: r.Undoes}
		if e.Changes, err = unpack(r.Part); err != nil {
			return nil, fmt.Errorf("read log entry %d: %w", r.ID, err)
		}
		e.Changes = slices.DeleteFunc(e.Changes, func(c book.Change) bool {
			return !slices.Contains(kinds, c.Kind) ||
				c.Code != code
		})
		if err := upgradeChanges(e.Changes, r.Format); err != nil {
			return nil, err
		}
		list = append(list, e)
	}
	return list, nil
}

// LastEdits are the newest entries that changed some products, by SKU, without what they changed.
func (s *Store) LastEdits(ctx context.Context, skus []string) (map[string]book.Entry, error) {
	of, ids := map[string]int64{}, map[int64]bool{}
	for some := range slices.Chunk(skus, batchSize) {
		var rows []struct {
			Code  string
			Entry int64
		}
		if err := s.db.WithContext(ctx).Raw("SELECT code, MAX(entry) AS entry FROM log_pieces WHERE kind = ? AND code IN ? GROUP BY code",
			book.Products, some).Scan(&rows).Error; err != nil {
			return nil, fmt.Errorf("look which edits changed products: %w", err)
		}
		for _, r := range rows {
			of[r.Code], ids[r.Entry] = r.Entry, true
		}
	}
	entries := map[int64]book.Entry{}
	for some := range slices.Chunk(slices.Collect(maps.Keys(ids)), batchSize) {
		var rows []logRow
		if err := s.db.WithContext(ctx).Raw("SELECT id, at, who, version, summary FROM log WHERE id IN ?", some).Scan(
			&rows).Error; err != nil {
			return nil, fmt.Errorf("read the edits of products: %w", err)
		}
		for _, r := range rows {
			entries[r.ID] = book.Entry{ID: r.ID, At: r.At, Who: r.Who, Version: r.Version, Summary: r.Summary}
		}
	}
	edits := make(map[string]book.Entry, len(of))
	for sku, id := range of {
		edits[sku] = entries[id]
	}
	return edits, nil
}

// EntryOf is the entry of the log that led to a version of the book.
func (s *Store) EntryOf(ctx context.Context, version int64) (book.Entry, error) {
	var row logRow
	err := s.db.WithContext(ctx).Where("version = ?", version).Take(&row).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return book.Entry{}, fmt.Errorf("version %d: %w", version, ErrNotFound)
	}
	if err != nil {
		return book.Entry{}, fmt.Errorf("read how version %d came about: %w", version, err)
	}
	return s.LogEntry(ctx, row.ID)
}

// Uncounted are the newest entries of which nobody knows yet how many prices they moved, newest first, without what
// they changed.
func (s *Store) Uncounted(ctx context.Context, limit int) ([]book.Entry, error) {
	var rows []logRow
	err := s.db.WithContext(ctx).Raw(
		"SELECT id, at, version FROM log WHERE moved IS NULL AND version > 1 ORDER BY version DESC LIMIT ?",
		limit).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("look for edits that are not counted: %w", err)
	}
	entries := make([]book.Entry, len(rows))
	for i, r := range rows {
		entries[i] = book.Entry{ID: r.ID, At: r.At, Version: r.Version}
	}
	return entries, nil
}
