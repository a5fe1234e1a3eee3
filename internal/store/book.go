package store

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"sync"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

// Kinds of items, named as the lists of the document.
const (
	Products  = "products"
	Rules     = "rules"
	Groups    = "groups"
	Customers = "customers"
	Ranges    = "ranges"
	Ladders   = "ladders"
	Campaigns = "campaigns"
	Channels  = "channels"
	Settings  = "settings" // one item, without a code
	Measures  = "measures" // stock and units sold of one product, which can change without the rest of it
)

var kindsInOrder = []string{Groups, Customers, Ranges, Ladders, Campaigns, Channels, Products, Rules}

// Change is one piece of the book that was written: nil before for a new piece, nil after for a deleted one.
type Change struct {
	Kind   string          `json:"kind"`
	Code   string          `json:"code"`
	Before json.RawMessage `json:"before,omitempty"`
	After  json.RawMessage `json:"after,omitempty"`
}

// Edit is a set of changes that are saved together.
type Edit struct {
	Who, Summary string
	At           time.Time
	Changes      []Change
	Undoes       *int64 // the log entry that this takes back

	Progress func(done int) // told how many changes are written; may be nil

	// Next is the book that the changes lead to where whoever makes the edit knows it, made from Base. It is used as long
	// as Base is the current book; else the changes are applied.
	Base, Next *pricing.Book

	// BreaksSeen says that whoever makes the edit has seen which pinned prices it breaks; else breaking one is a
	// *checks.BrokenError.
	BreaksSeen bool
}

// Entry is one saved edit in the log.
type Entry struct {
	ID       int64
	At       time.Time
	Who      string
	Version  int64
	Summary  string
	Changes  []Change
	Undoes   *int64
	UndoneBy *int64
	Moved    *int // prices that it moved; nil until they are counted
}

// Conflict says that a piece is no longer as the edit found it.
type Conflict struct {
	Kind, Code string
	Now        json.RawMessage // nil: it was deleted
}

func (c *Conflict) Error() string {
	return fmt.Sprintf("%s %q was changed by somebody else in the meantime", c.Kind, c.Code)
}

type bookRow struct {
	ID       int
	Version  int64
	Settings string
}

func (bookRow) TableName() string { return "book" }

type itemRow struct {
	Kind string `gorm:"primaryKey"`
	Code string `gorm:"primaryKey"`
	Seq  int64
	Doc  string
}

func (itemRow) TableName() string { return "items" }

type logRow struct {
	ID      int64
	At      time.Time
	Who     string
	Version int64
	Summary string
	Changes string
	Undoes  *int64
}

func (logRow) TableName() string { return "log" }

// Version is the newest saved version of the book; 0 where there is no book yet.
func (s *Store) Version(ctx context.Context) (int64, error) {
	var version int64
	if err := s.db.WithContext(ctx).Raw("SELECT COALESCE(MAX(version), 0) FROM book").Scan(&version).Error; err != nil {
		return 0, fmt.Errorf("read the book's version: %w", err)
	}
	return version, nil
}

// Create saves a whole book into an empty database as version 1.
func (s *Store) Create(ctx context.Context, book *pricing.Book, who string, at time.Time) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		if err := tx.Create(&bookRow{1, 1, string(bookfile.EncodeSettings(&book.Settings))}).Error; err != nil {
			return err
		}
		var rows []itemRow
		var known []measures
		for _, piece := range pieces(book) {
			doc := []byte(piece.After)
			if piece.Kind == Products {
				rest, m := split(piece.Code, doc)
				doc, known = rest, append(known, m)
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
		return tx.Create(&logRow{At: at, Who: who, Version: 1, Summary: "Set up the book", Changes: "[]"}).Error
	})
	if err != nil {
		return fmt.Errorf("save a new book: %w", err)
	}
	return nil
}

// pieces are all items of a book as changes that make them.
func pieces(book *pricing.Book) []Change {
	var list []Change
	var doc struct {
		Groups, Customers, Ranges, Ladders, Campaigns, Channels []json.RawMessage
	}
	small := *book
	small.Products, small.Rules = nil, nil
	if err := json.Unmarshal(bookfile.Encode(&small), &doc); err != nil {
		panic(fmt.Sprintf("store: %v", err))
	}
	for _, part := range []struct {
		kind string
		docs []json.RawMessage
	}{{Groups, doc.Groups}, {Customers, doc.Customers}, {Ranges, doc.Ranges}, {Ladders, doc.Ladders}, {Campaigns, doc.Campaigns}, {Channels, doc.Channels}} {
		for _, d := range part.docs {
			var named struct{ Code string }
			if err := json.Unmarshal(d, &named); err != nil {
				panic(fmt.Sprintf("store: %v", err))
			}
			var compact bytes.Buffer
			if err := json.Compact(&compact, d); err != nil {
				panic(fmt.Sprintf("store: %v", err))
			}
			list = append(list, Change{Kind: part.kind, Code: named.Code, After: compact.Bytes()})
		}
	}
	for i := range book.Products {
		list = append(list, Change{Kind: Products, Code: book.Products[i].SKU, After: bookfile.EncodeProduct(&book.Products[i])})
	}
	for i := range book.Rules {
		list = append(list, Change{Kind: Rules, Code: book.Rules[i].Code, After: bookfile.EncodeRule(&book.Rules[i])})
	}
	return list
}

// PiecesOf are the items of one kind but products and rules, each as a change that makes it.
func PiecesOf(book *pricing.Book, kind string) []Change {
	small := *book
	small.Products, small.Rules = nil, nil
	return slices.DeleteFunc(pieces(&small), func(c Change) bool { return c.Kind != kind })
}

// Differences are the changes that make one book of another, in the order of the document's lists. Nothing among them
// says in which order items stand: that moves no price.
func Differences(now, next *pricing.Book) []Change {
	var list []Change
	if a, b := bookfile.EncodeSettings(&now.Settings), bookfile.EncodeSettings(&next.Settings); !bytes.Equal(a, b) {
		list = append(list, Change{Kind: Settings, Before: a, After: b})
	}
	was := map[[2]string]json.RawMessage{}
	before := pieces(now)
	for _, c := range before {
		was[[2]string{c.Kind, c.Code}] = c.After
	}
	for _, c := range pieces(next) {
		key := [2]string{c.Kind, c.Code}
		if old, known := was[key]; !known || !bytes.Equal(old, c.After) {
			c.Before = old
			list = append(list, c)
		}
		delete(was, key)
	}
	for _, c := range before {
		if old, gone := was[[2]string{c.Kind, c.Code}]; gone {
			list = append(list, Change{Kind: c.Kind, Code: c.Code, Before: old})
		}
	}
	return list
}

// Refused is a stored piece that this version of the program cannot read. It takes no part until it is written anew.
type Refused struct{ Kind, Code, Problem string }

// Load reads the whole book at its newest version. Pieces that cannot be read are left out and named.
func (s *Store) Load(ctx context.Context) (*pricing.Book, int64, []Refused, error) {
	var head bookRow
	byKind := map[string][]stored{}
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
			var one stored
			var m measures
			if err := rows.Scan(&kind, &one.code, &one.doc, &m.Stock, &m.Sold); err != nil {
				return err
			}
			one.doc = m.joined(one.doc)
			byKind[kind] = append(byKind[kind], one)
		}
		return rows.Err()
	})
	if err != nil {
		return nil, 0, nil, fmt.Errorf("load the book: %w", err)
	}
	book, refused, err := readable(head.Settings, byKind)
	if err != nil {
		return nil, 0, nil, fmt.Errorf("read the stored book: %w", err)
	}
	return book, head.Version, refused, nil
}

// stored is a piece as it is kept, with its measures.
type stored struct {
	code string
	doc  []byte
}

var piecePath = regexp.MustCompile(`^([a-z]+)\[(\d+)\]`)

// readable is the book of those pieces that can be read. What refers to one that cannot goes with it.
func readable(settings string, byKind map[string][]stored) (*pricing.Book, []Refused, error) {
	var refused []Refused
	for {
		docs := map[string][][]byte{}
		for kind, list := range byKind {
			for _, one := range list {
				docs[kind] = append(docs[kind], one.doc)
			}
		}
		book, err := bookfile.Decode(document(settings, docs))
		var errs bookfile.Errors
		if err == nil || !errors.As(err, &errs) {
			return book, refused, err
		}
		gone := map[string]map[int]bool{}
		for _, e := range errs {
			at := piecePath.FindStringSubmatch(e.Path)
			if at == nil || byKind[at[1]] == nil {
				return nil, nil, err
			}
			i, _ := strconv.Atoi(at[2])
			if gone[at[1]] == nil {
				gone[at[1]] = map[int]bool{}
			}
			if !gone[at[1]][i] {
				refused = append(refused, Refused{at[1], byKind[at[1]][i].code, e.Error()})
			}
			gone[at[1]][i] = true
		}
		for kind, which := range gone {
			var rest []stored
			for i, one := range byKind[kind] {
				if !which[i] {
					rest = append(rest, one)
				}
			}
			byKind[kind] = rest
		}
	}
}

// document puts the pieces of a book together.
func document(settings string, byKind map[string][][]byte) []byte {
	var doc bytes.Buffer
	fmt.Fprintf(&doc, `{"book":%q,"settings":%s`, bookfile.Format, settings)
	for _, kind := range kindsInOrder {
		if len(byKind[kind]) == 0 {
			continue
		}
		fmt.Fprintf(&doc, `,%q:[`, kind)
		for i, piece := range byKind[kind] {
			if i > 0 {
				doc.WriteByte(',')
			}
			doc.Write(piece)
		}
		doc.WriteByte(']')
	}
	doc.WriteByte('}')
	return doc.Bytes()
}

// batchSize is how many items one statement writes, partSize how many changes a part of a log entry holds.
const batchSize, partSize = 2000, 500

// save writes an edit in one transaction and returns its log entry, or a *Conflict where a piece is no longer as the
// edit found it.
func (s *Store) save(ctx context.Context, edit Edit) (Entry, error) {
	edit.Summary = shorten(edit.Summary, 500)
	entry := Entry{At: edit.At, Who: edit.Who, Summary: edit.Summary, Changes: edit.Changes, Undoes: edit.Undoes}
	var parts [][]byte
	var packErr error
	var packing sync.WaitGroup // while the database writes
	packing.Go(func() { parts, packErr = pack(edit.Changes) })
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
		row := logRow{At: edit.At.UTC(), Who: edit.Who, Version: head.Version, Summary: edit.Summary, Changes: "[]", Undoes: edit.Undoes}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		if packing.Wait(); packErr != nil {
			return packErr
		}
		if err := logChanges(tx, row.ID, edit.Changes, parts); err != nil {
			return err
		}
		entry.ID = row.ID
		return nil
	})
	var conflict *Conflict
	if errors.As(err, &conflict) {
		return Entry{}, conflict
	}
	if err != nil {
		return Entry{}, fmt.Errorf("save %q: %w", edit.Summary, err)
	}
	return entry, nil
}

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
func pack(changes []Change) ([][]byte, error) {
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

func unpack(part []byte) ([]Change, error) {
	r, err := gzip.NewReader(bytes.NewReader(part))
	if err != nil {
		return nil, err
	}
	var changes []Change
	return changes, json.NewDecoder(r).Decode(&changes)
}

// logChanges keeps what an entry changed, and which pieces those were.
func logChanges(tx *gorm.DB, entry int64, changes []Change, parts [][]byte) error {
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

// sameDoc reports whether two documents mean the same piece.
func sameDoc(kind string, a, b []byte) bool {
	if bytes.Equal(a, b) {
		return true
	}
	x, err1 := bookfile.Canonical(kind, a)
	y, err2 := bookfile.Canonical(kind, b)
	return err1 == nil && err2 == nil && bytes.Equal(x, y)
}

// written is a change as it goes into the tables.
type written struct {
	Change
	before, after     []byte // of a product: without its measures
	measured, measure measures
}

// touches reports whether the change is about a product's measures.
func (w *written) touches() bool {
	return w.Kind == Measures || w.Kind == Products && (w.After == nil || !w.measured.same(w.measure))
}

func asWritten(changes []Change) []written {
	list := make([]written, len(changes))
	pricing.InParallel(len(changes), func(from, to int) {
		for i := from; i < to; i++ {
			c := changes[i]
			w := written{Change: c, before: c.Before, after: c.After, measured: measures{SKU: c.Code}, measure: measures{SKU: c.Code}}
			if c.Kind == Products || c.Kind == Measures {
				if c.Before != nil {
					w.before, w.measured = split(c.Code, c.Before)
				}
				if c.After != nil {
					w.after, w.measure = split(c.Code, c.After)
				}
			}
			list[i] = w
		}
	})
	return list
}

func saveBatch(tx *gorm.DB, head *bookRow, changes []Change, seq *int64) error {
	batch := asWritten(changes)
	byKind := map[string][]string{}
	var measured []string
	for i := range batch {
		if w := &batch[i]; w.Kind != Measures && w.Kind != Settings {
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
			if have := known[w.Code]; w.Before != nil && !have.same(w.measured) {
				doc := []byte("{}")
				if w.Kind == Products {
					doc = []byte(now[[2]string{w.Kind, w.Code}].Doc)
				}
				return &Conflict{w.Kind, w.Code, have.joined(doc)}
			}
			if w.After == nil {
				w.measure = measures{SKU: w.Code}
			}
			keep = append(keep, w.measure)
		}
		if w.Kind == Measures {
			continue
		}
		if w.Kind == Settings {
			if !sameDoc(w.Kind, w.Before, []byte(head.Settings)) {
				return &Conflict{w.Kind, w.Code, json.RawMessage(head.Settings)}
			}
			head.Settings = string(w.After)
			continue
		}
		row, exists := now[[2]string{w.Kind, w.Code}]
		if exists != (w.Before != nil) || exists && !sameDoc(w.Kind, []byte(row.Doc), w.before) {
			conflict := &Conflict{Kind: w.Kind, Code: w.Code}
			if exists {
				conflict.Now = w.measured.joined([]byte(row.Doc))
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

// Log is the newest entries, newest first, without what they changed.
func (s *Store) Log(ctx context.Context, limit int) ([]Entry, error) {
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
	entries := make([]Entry, len(rows))
	for i, r := range rows {
		entries[i] = Entry{ID: r.ID, At: r.At, Who: r.Who, Version: r.Version, Summary: r.Summary, Undoes: r.Undoes, UndoneBy: r.UndoneBy, Moved: r.Moved}
	}
	return entries, nil
}

// ErrNotFound says that there is no such thing.
var ErrNotFound = errors.New("not found")

// LogEntry is one entry with its changes.
func (s *Store) LogEntry(ctx context.Context, id int64) (Entry, error) {
	var row logRow
	err := s.db.WithContext(ctx).Take(&row, id).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return Entry{}, fmt.Errorf("log entry %d: %w", id, ErrNotFound)
	}
	if err != nil {
		return Entry{}, fmt.Errorf("read log entry %d: %w", id, err)
	}
	e := Entry{ID: row.ID, At: row.At, Who: row.Who, Version: row.Version, Summary: row.Summary, Undoes: row.Undoes}
	if err := json.Unmarshal([]byte(row.Changes), &e.Changes); err != nil { // entries of older versions keep all here
		return Entry{}, fmt.Errorf("read log entry %d: %w", id, err)
	}
	var parts []logPart
	if err := s.db.WithContext(ctx).Where("entry = ?", id).Order("part").Find(&parts).Error; err != nil {
		return Entry{}, fmt.Errorf("read log entry %d: %w", id, err)
	}
	for _, part := range parts {
		changes, err := unpack(part.Changes)
		if err != nil {
			return Entry{}, fmt.Errorf("read log entry %d: %w", id, err)
		}
		e.Changes = append(e.Changes, changes...)
	}
	return e, nil
}

// History are the newest entries that changed a piece, newest first, each with that change alone.
func (s *Store) History(ctx context.Context, kind, code string, limit int) ([]Entry, error) {
	var rows []struct {
		ID      int64
		At      time.Time
		Who     string
		Version int64
		Summary string
		Undoes  *int64
		Part    []byte
	}
	kinds := []string{kind}
	if kind == Products {
		kinds = append(kinds, Measures)
	}
	err := s.db.WithContext(ctx).Raw(`SELECT l.id, l.at, l.who, l.version, l.summary, l.undoes, c.changes AS part
		FROM log_pieces p JOIN log l ON l.id = p.entry JOIN log_parts c ON c.entry = p.entry AND c.part = p.part
		WHERE p.kind IN ? AND p.code = ? ORDER BY p.entry DESC LIMIT ?`, kinds, code, limit).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("read the history of %s %q: %w", kind, code, err)
	}
	var list []Entry
	for _, r := range rows {
		e := Entry{ID: r.ID, At: r.At, Who: r.Who, Version: r.Version, Summary: r.Summary, Undoes: r.Undoes}
		if e.Changes, err = unpack(r.Part); err != nil {
			return nil, fmt.Errorf("read log entry %d: %w", r.ID, err)
		}
		e.Changes = slices.DeleteFunc(e.Changes, func(c Change) bool { return !slices.Contains(kinds, c.Kind) || c.Code != code })
		list = append(list, e)
	}
	return list, nil
}
