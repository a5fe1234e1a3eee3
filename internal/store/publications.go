package store

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/publish"
	"dogbane/internal/publish/telling"
)

// publication is a row of the table of publications.
type publication struct {
	ID                                         int64 `gorm:"primaryKey"`
	Channel                                    string
	Version                                    int64
	PricedAt                                   time.Time // wall clock of the book
	Started                                    time.Time
	Ended                                      *time.Time
	Who, Status, Problem, Kind                 string
	OfPublication                              *int64
	Whole                                      bool
	DecidedBy, Reason, Brings, Note            string
	Sent                                       *time.Time
	Told, Rules                                *string
	Parts                                      int
	Total, Taken, Refused, Unanswered, LeftOut int
}

func (publication) TableName() string { return "publications" }

func (r *publication) read() (publish.Publication, error) {
	p := publish.Publication{ID: r.ID, Channel: r.Channel, Version: r.Version, At: pricing.Moment(r.PricedAt.Unix()),
		Prepared: r.Started, Ended: r.Ended, Who: r.Who, Kind: publish.PublicationKind(r.Kind), Whole: r.Whole,
		State: publish.State(r.Status), Problem: r.Problem, Note: r.Note, Sent: r.Sent, Brings: publish.Brings(r.Brings),
		DecidedBy: r.DecidedBy, Reason: r.Reason, Parts: r.Parts,
		Counts: publish.Counts{Total: r.Total, Taken: r.Taken, Refused: r.Refused, Unanswered: r.Unanswered,
			LeftOut: r.LeftOut}}
	if r.OfPublication != nil {
		p.Of = *r.OfPublication
	}
	for text, v := range map[*string]any{r.Told: &p.Named, r.Rules: &p.Rules} {
		if text != nil {
			if err := json.Unmarshal([]byte(*text), v); err != nil {
				return p, fmt.Errorf("read publication %d: %w", r.ID, err)
			}
		}
	}
	return p, nil
}

// publicationRow is a row of the table of that name.
type publicationRow struct {
	Publication           int64  `gorm:"primaryKey"`
	SKU                   string `gorm:"column:sku;primaryKey"`
	Kind                  string
	Was, Price, Reference *string
	Currency              string
	Override              string
	Answer, Message       string
	Line                  *string `gorm:"->"` // of another table, where withLine asks for it
	Digest                []byte
	Reduced               bool
	KeptReference         *string
	Blocked               string
	Part                  int
	LeftDigest            []byte
}

func (publicationRow) TableName() string { return "publication_rows" }

// publicationLine is the text of a line, kept once however often it is answered, shown and told again.
type publicationLine struct {
	Publication int64
	SKU         string `gorm:"column:sku"`
	Line        string
}

func (publicationLine) TableName() string { return "publication_lines" }

// withLine are the columns of a row of a publication, or of a published price, with the text of its line.
func withLine(table string) string {
	return table + ".*, (SELECT l.line FROM publication_lines l WHERE l.publication = " + table +
		".publication AND l.sku = " + table + ".sku) AS line"
}

func rowOf(id int64, r *publish.Row) publicationRow {
	row := publicationRow{Publication: id, SKU: r.SKU, Kind: string(r.Kind), Was: amountText(r.Was),
		Price: amountText(r.Price), Reference: amountText(r.Reference), Currency: r.Currency, Override: r.Override,
		Answer: string(r.Answer), Message: shorten(r.Message, 500), Reduced: r.Begun.Reduced,
		KeptReference: amountText(r.Begun.Reference), Part: r.Part}
	if r.Digest != nil {
		row.Digest = r.Digest[:]
	}
	if r.Answer == publish.LeftOut {
		row.LeftDigest = r.Left[:]
	}
	var kinds []string
	for _, k := range r.Blocked {
		kinds = append(kinds, string(k))
	}
	row.Blocked = strings.Join(kinds, " ")
	return row
}

func (r *publicationRow) read() (publish.Row, error) {
	row := publish.Row{SKU: r.SKU, Kind: publish.Kind(r.Kind), Currency: r.Currency, Override: r.Override,
		Answer: publish.Answer(r.Answer), Message: r.Message, Begun: telling.Begun{Reduced: r.Reduced}, Part: r.Part}
	for _, a := range []struct {
		text *string
		to   **money.Rat
	}{{r.Was, &row.Was}, {r.Price, &row.Price}, {r.Reference, &row.Reference}, {r.KeptReference, &row.Begun.Reference}} {
		var err error
		if *a.to, err = parseAmount(a.text); err != nil {
			return row, fmt.Errorf("read the row of %q in publication %d: %w", r.SKU, r.Publication, err)
		}
	}
	if r.Line != nil {
		row.Line = []byte(*r.Line)
	}
	if len(r.Digest) == len(telling.Digest{}) {
		d := telling.Digest(r.Digest)
		row.Digest = &d
	}
	for _, k := range strings.Fields(r.Blocked) {
		row.Blocked = append(row.Blocked, flags.Kind(k))
	}
	return row, nil
}

func shorten(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}

func jsonText(v any) *string {
	var doc bytes.Buffer
	enc := json.NewEncoder(&doc)
	enc.SetEscapeHTML(false) // rules are compared with what they were
	if err := enc.Encode(v); err != nil {
		panic(fmt.Sprintf("store: write texts: %v", err))
	}
	text := strings.TrimSuffix(doc.String(), "\n")
	return &text
}

// Prepare keeps a publication with its rows, and gives it its number.
func (s *Store) Prepare(ctx context.Context, p *publish.Publication, rows []publish.Row) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error { return prepare(tx, p, rows) })
	if err != nil {
		return fmt.Errorf("prepare a publication to %q: %w", p.Channel, err)
	}
	return nil
}

func prepare(tx *gorm.DB, p *publish.Publication, rows []publish.Row) error {
	row := publication{Channel: p.Channel, Version: p.Version, PricedAt: time.Unix(int64(p.At), 0).UTC(),
		Started: p.Prepared.UTC(), Who: p.Who, Status: string(p.State), Kind: string(p.Kind), Whole: p.Whole,
		Brings: string(p.Brings), Told: jsonText(p.Named)}
	if p.Of != 0 {
		row.OfPublication = &p.Of
	}
	if !p.Rules.None() {
		row.Rules = jsonText(p.Rules)
	}
	for i := range rows {
		rows[i].Part = 0
		switch {
		case rows[i].Goes():
			rows[i].Part = 1 + row.Total/publish.LinesPerPart
			row.Total++
		case rows[i].Answer != publish.NotChosen:
			row.LeftOut++
		}
	}
	if err := tx.Create(&row).Error; err != nil {
		return err
	}
	p.ID, p.Counts = row.ID, publish.Counts{Total: row.Total, LeftOut: row.LeftOut}
	if p.Brings == publish.BringsPieces {
		if err := keepBrought(tx, p.ID, p.Brought); err != nil {
			return err
		}
	}
	stored, lines := make([]publicationRow, 0, batchSize), make([]publicationLine, 0, batchSize)
	for from := 0; from < len(rows); from += batchSize {
		stored, lines = stored[:0], lines[:0]
		for i := from; i < min(from+batchSize, len(rows)); i++ {
			stored = append(stored, rowOf(p.ID, &rows[i]))
			if rows[i].Line != nil {
				lines = append(lines, publicationLine{p.ID, rows[i].SKU, string(rows[i].Line)})
			}
		}
		if err := tx.Create(&stored).Error; err != nil {
			return err
		}
		if len(lines) == 0 {
			continue
		}
		if err := tx.Create(&lines).Error; err != nil {
			return err
		}
	}
	return nil
}

// Publication is one, without its rows.
func (s *Store) Publication(ctx context.Context, id int64) (publish.Publication, error) {
	var row publication
	err := s.db.WithContext(ctx).Take(&row, id).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return publish.Publication{}, fmt.Errorf("publication %d: %w", id, ErrNotFound)
	}
	if err != nil {
		return publish.Publication{}, fmt.Errorf("read publication %d: %w", id, err)
	}
	return row.read()
}

// Publications are the newest of one channel, or of all with "", before a number (0: none).
func (s *Store) Publications(ctx context.Context, channel string, before int64, limit int) ([]publish.Publication,
	error) {
	q := s.db.WithContext(ctx).Order("id DESC").Limit(limit)
	if channel != "" {
		q = q.Where("channel = ?", channel)
	}
	if before > 0 {
		q = q.Where("id < ?", before)
	}
	var rows []publication
	if err := q.Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("read the publications: %w", err)
	}
	return publicationsOf(rows)
}

func publicationsOf(rows []publication) ([]publish.Publication, error) {
	list := make([]publish.Publication, len(rows))
	for i := range rows {
		var err error
		if list[i], err = rows[i].read(); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// Rows are those of a publication by the bytes of their SKU, after one; limit 0: all. Those that were not chosen are no
// part of it.
func (s *Store) Rows(ctx context.Context, id int64, after string, limit int) ([]publish.Row, error) {
	q := s.db.WithContext(ctx).Select(withLine("publication_rows")).Where("publication = ? AND sku > ? AND answer <> ?",
		id, after, publish.NotChosen).Order("sku")
	if limit > 0 {
		q = q.Limit(limit)
	}
	return readRows(q)
}

// Going are the rows of a publication that are sent, by their parts, with what is said of each.
func (s *Store) Going(ctx context.Context, id int64) ([]publish.Going, error) {
	var rows []struct {
		SKU  string `gorm:"column:sku"`
		Line []byte
		Part int
	}
	if err := s.db.WithContext(ctx).Raw(`SELECT r.sku, r.part, l.line FROM publication_rows r
		LEFT JOIN publication_lines l ON l.publication = r.publication AND l.sku = r.sku
		WHERE r.publication = ? AND r.part > 0 ORDER BY r.part, r.sku`, id).Scan(&rows).Error; err != nil {
		return nil, fmt.Errorf("read what publication %d sends: %w", id, err)
	}
	list := make([]publish.Going, len(rows))
	for i, r := range rows {
		list[i] = publish.Going(r)
	}
	return list, nil
}

func readRows(q *gorm.DB) ([]publish.Row, error) {
	var stored []publicationRow
	if err := q.Find(&stored).Error; err != nil {
		return nil, fmt.Errorf("read the rows of a publication: %w", err)
	}
	rows := make([]publish.Row, len(stored))
	for i := range stored {
		var err error
		if rows[i], err = stored[i].read(); err != nil {
			return nil, err
		}
	}
	return rows, nil
}

// Decide brings a publication that is not sent yet into another state. One that may not be queued because a newer one
// to its channel is on its way answers publish.ErrOlder.
func (s *Store) Decide(ctx context.Context, id int64, to publish.State, by, reason string, at time.Time) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		var row publication
		if err := tx.Take(&row, id).Error; err != nil {
			if errors.Is(err, gorm.ErrRecordNotFound) {
				return ErrNotFound
			}
			return err
		}
		if err := touch(tx, row.Channel); err != nil { // one decision about a channel at a time
			return err
		}
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Take(&row, id).Error; err != nil {
			return err
		}
		if !publish.State(row.Status).May(to) {
			return fmt.Errorf("it is %s: %w", row.Status, publish.ErrState)
		}
		if to == publish.Queued {
			var newer int64
			never := []publish.State{publish.Prepared, publish.Waiting, publish.Declined, publish.Dropped}
			if err := tx.Model(&publication{}).Where("channel = ? AND id > ? AND status NOT IN ?", row.Channel, id,
				never).Count(&newer).Error; err != nil {
				return err
			}
			if newer > 0 {
				return publish.ErrOlder
			}
		}
		change := map[string]any{"status": to}
		if from := publish.State(row.Status); from == publish.Prepared && (to == publish.Waiting || to == publish.Queued) {
			change["sent"], change["note"] = at.UTC(), shorten(reason, 500)
		}
		if by != "" {
			change["decided_by"], change["decided"], change["reason"] = by, at.UTC(), shorten(reason, 500)
		}
		if to == publish.Declined || to == publish.Dropped {
			change["ended"] = at.UTC()
		}
		return tx.Model(&publication{}).Where("id = ?", id).Updates(change).Error
	})
	if err != nil {
		return fmt.Errorf("make publication %d %s: %w", id, to, err)
	}
	return nil
}
