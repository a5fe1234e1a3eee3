package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
)

// link is a row of the table of that name.
type link struct {
	Channel              string `gorm:"primaryKey"`
	Kind, Address, Token string
}

// Links are all links by channel.
func (s *Store) Links(ctx context.Context) (map[string]publish.Link, error) {
	var rows []link
	if err := s.db.WithContext(ctx).Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("read the channels' links: %w", err)
	}
	links := map[string]publish.Link{}
	for _, l := range rows {
		links[l.Channel] = publish.Link(l)
	}
	return links, nil
}

// SetLink keeps how a channel is reached.
func (s *Store) SetLink(ctx context.Context, l publish.Link) error {
	if err := s.db.WithContext(ctx).Save((*link)(&l)).Error; err != nil {
		return fmt.Errorf("keep the link of channel %q: %w", l.Channel, err)
	}
	return nil
}

// Shown is everything that a channel shows now, by SKU.
func (s *Store) Shown(ctx context.Context, channel string) (map[string]publish.Shown, error) {
	var rows []publishedPrice
	err := s.db.WithContext(ctx).Where("channel = ? AND shows_now = 1 AND price IS NOT NULL", channel).Find(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("read what channel %q shows: %w", channel, err)
	}
	shown := make(map[string]publish.Shown, len(rows))
	for _, r := range rows {
		one, err := r.shown()
		if err != nil {
			return nil, err
		}
		shown[r.SKU] = one
	}
	return shown, nil
}

// publishedPrice is a row of the price history; amounts are decimal texts.
type publishedPrice struct {
	ID               int64
	Channel          string
	SKU              string `gorm:"column:sku"`
	Price, Reference *string
	Currency         string
	FromAt           time.Time
	UntilAt          *time.Time
	Publication      int64
	Tags             *string
}

func (publishedPrice) TableName() string { return "published_prices" }

func (r *publishedPrice) shown() (publish.Shown, error) {
	one := publish.Shown{SKU: r.SKU, Currency: r.Currency, From: r.FromAt}
	price, err := parseAmount(r.Price)
	if err == nil && price != nil {
		one.Price = *price
		one.Reference, err = parseAmount(r.Reference)
	}
	if err == nil && r.Tags != nil {
		err = json.Unmarshal([]byte(*r.Tags), &one.Tags)
	}
	if err != nil {
		return one, fmt.Errorf("read the published price of %q: %w", r.SKU, err)
	}
	return one, nil
}

func parseAmount(text *string) (*money.Rat, error) {
	if text == nil {
		return nil, nil
	}
	a, err := money.Parse(*text)
	return &a, err
}

// tagsText is what a column of live tags holds.
func tagsText(t pricing.LiveTags) *string {
	if t.None() {
		return nil
	}
	doc, err := json.Marshal(t)
	if err != nil {
		panic(fmt.Sprintf("store: write texts: %v", err))
	}
	text := string(doc)
	return &text
}

func amountText(a *money.Rat) *string {
	if a == nil {
		return nil
	}
	text := a.Fixed(6)
	return &text
}

type publicationRow struct {
	Publication           int64  `gorm:"primaryKey"`
	SKU                   string `gorm:"column:sku;primaryKey"`
	Kind                  string
	Was, Price, Reference *string
	Currency              string
	Override              string
	Answer, Message       string
}

func (publicationRow) TableName() string { return "publication_rows" }

// StartPublication keeps a publication with its rows before anything is sent. One at a time per channel: else
// publish.ErrBusy.
func (s *Store) StartPublication(ctx context.Context, p *publish.Publication, rows []publish.Row) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		var free bool
		// The book's row serves as the lock under which no second publication begins.
		if err := tx.Exec("SELECT id FROM book WHERE id = 1 FOR UPDATE").Error; err != nil {
			return err
		}
		if err := tx.Raw("SELECT COUNT(*) = 0 FROM publications WHERE channel = ? AND status = ?", p.Channel,
			publish.Sending).Scan(&free).Error; err != nil {
			return err
		}
		if !free {
			return publish.ErrBusy
		}
		p.Status = publish.Sending
		if err := tx.Create(p).Error; err != nil {
			return err
		}
		stored := make([]publicationRow, len(rows))
		for i, r := range rows {
			stored[i] = publicationRow{p.ID, r.SKU, string(r.Kind), amountText(r.Was), amountText(r.Price),
				amountText(r.Reference), r.Currency, r.Override, "", ""}
		}
		return tx.CreateInBatches(stored, batchSize).Error
	})
	if err != nil && !errors.Is(err, publish.ErrBusy) {
		return fmt.Errorf("begin a publication to %q: %w", p.Channel, err)
	}
	return err
}

// AnswerRows keeps what a channel answered to some rows, and for those it took the price it shows from now on.
func (s *Store) AnswerRows(ctx context.Context, p *publish.Publication, rows []publish.Row, at time.Time) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		var taken []string
		var shown []publishedPrice
		stored := make([]publicationRow, len(rows))
		for i, r := range rows {
			stored[i] = publicationRow{p.ID, r.SKU, string(r.Kind), amountText(r.Was), amountText(r.Price),
				amountText(r.Reference), r.Currency, r.Override, r.Answer, shorten(r.Message, 500)}
			if r.Answer == publish.Taken {
				taken = append(taken, r.SKU)
				shown = append(shown, publishedPrice{Channel: p.Channel, SKU: r.SKU, Price: amountText(r.Price),
					Reference: amountText(r.Reference), Currency: r.Currency, FromAt: at.UTC(), Publication: p.ID,
					Tags: tagsText(r.Tags)})
			}
		}
		for from := 0; from < len(stored); from += batchSize {
			if err := tx.Save(stored[from:min(from+batchSize, len(stored))]).Error; err != nil {
				return err
			}
		}
		if len(taken) == 0 {
			return nil
		}
		for from := 0; from < len(taken); from += batchSize {
			some := taken[from:min(from+batchSize, len(taken))]
			if err := tx.Exec("UPDATE published_prices SET until_at = ? WHERE channel = ? AND sku IN ? AND shows_now = 1",
				at.UTC(), p.Channel, some).Error; err != nil {
				return err
			}
		}
		return tx.CreateInBatches(shown, batchSize).Error
	})
	if err != nil {
		return fmt.Errorf("keep the answers of %q: %w", p.Channel, err)
	}
	return nil
}

func shorten(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}

// EndPublication keeps how a publication ended.
func (s *Store) EndPublication(ctx context.Context, p *publish.Publication) error {
	err := s.db.WithContext(ctx).Model(p).Updates(map[string]any{"status": p.Status, "problem": shorten(p.Problem, 1000),
		"ended": p.Ended}).Error
	if err != nil {
		return fmt.Errorf("keep how publication %d ended: %w", p.ID, err)
	}
	return nil
}

// BreakOff marks publications that were under way when the program ended.
func (s *Store) BreakOff(ctx context.Context, at time.Time) error {
	err := s.db.WithContext(ctx).Exec(
		"UPDATE publications SET status = ?, ended = ?, problem = 'the program ended while this was being sent.' WHERE status = ?",
		publish.BrokenOff, at.UTC(), publish.Sending).Error
	if err != nil {
		return fmt.Errorf("mark broken publications: %w", err)
	}
	return nil
}

// Publications are the newest of one channel, or of all with "".
func (s *Store) Publications(ctx context.Context, channel string, limit int) ([]publish.Publication, error) {
	var list []publish.Publication
	q := s.db.WithContext(ctx).Order("id DESC").Limit(limit)
	if channel != "" {
		q = q.Where("channel = ?", channel)
	}
	if err := q.Find(&list).Error; err != nil {
		return nil, fmt.Errorf("read the publications: %w", err)
	}
	return list, nil
}

// CountRows counts the rows of publications, in the database.
func (s *Store) CountRows(ctx context.Context, ids []int64) (map[int64]publish.Counts, error) {
	var rows []struct {
		Publication int64
		publish.Counts
	}
	counts := map[int64]publish.Counts{}
	if len(ids) == 0 {
		return counts, nil
	}
	err := s.db.WithContext(ctx).Raw(
		`SELECT publication, COUNT(*) AS `+"`rows`"+`, COALESCE(SUM(answer <> ''), 0) AS answered,
		COALESCE(SUM(answer IN ('refused', 'failed')), 0) AS refused
		FROM publication_rows WHERE publication IN ? GROUP BY publication`, ids).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("count the rows of publications: %w", err)
	}
	for _, r := range rows {
		counts[r.Publication] = r.Counts
	}
	return counts, nil
}

// Publication is one publication with its rows.
func (s *Store) Publication(ctx context.Context, id int64) (publish.Publication, []publish.Row, error) {
	var p publish.Publication
	err := s.db.WithContext(ctx).Take(&p, id).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return p, nil, fmt.Errorf("publication %d: %w", id, ErrNotFound)
	}
	var stored []publicationRow
	if err == nil {
		err = s.db.WithContext(ctx).Where("publication = ?", id).Order("sku").Find(&stored).Error
	}
	if err != nil {
		return p, nil, fmt.Errorf("read publication %d: %w", id, err)
	}
	rows := make([]publish.Row, len(stored))
	for i, r := range stored {
		rows[i] = publish.Row{SKU: r.SKU, Kind: publish.Kind(r.Kind), Currency: r.Currency, Override: r.Override,
			Answer: r.Answer, Message: r.Message}
		for text, amount := range map[*string]**money.Rat{r.Was: &rows[i].Was, r.Price: &rows[i].Price,
			r.Reference: &rows[i].Reference} {
			if *amount, err = parseAmount(text); err != nil {
				return p, nil, fmt.Errorf("read publication %d: %w", id, err)
			}
		}
	}
	return p, rows, nil
}

// PriceHistory is what a channel showed for a product, newest first.
func (s *Store) PriceHistory(ctx context.Context, channel, sku string) ([]publish.Span, error) {
	var rows []publishedPrice
	if err := s.db.WithContext(ctx).Where("channel = ? AND sku = ?", channel,
		sku).Order("id DESC").Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("read the price history of %q in %q: %w", sku, channel, err)
	}
	spans := make([]publish.Span, len(rows))
	for i, r := range rows {
		price, err1 := parseAmount(r.Price)
		reference, err2 := parseAmount(r.Reference)
		if err := errors.Join(err1, err2); err != nil {
			return nil, fmt.Errorf("read the price history of %q in %q: %w", sku, channel, err)
		}
		spans[i] = publish.Span{Price: price, Reference: reference, Currency: r.Currency, From: r.FromAt, Until: r.UntilAt,
			Publication: r.Publication}
	}
	return spans, nil
}
