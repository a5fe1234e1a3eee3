package store

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"time"

	"gorm.io/gorm"

	"dogbane/internal/money"
)

// Link is how a channel is reached: kind "http" with the address of its price interface, or "folder".
type Link struct {
	Channel              string `gorm:"primaryKey"`
	Kind, Address, Token string
}

// Links are all links by channel.
func (s *Store) Links(ctx context.Context) (map[string]Link, error) {
	var rows []Link
	if err := s.db.WithContext(ctx).Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("read the channels' links: %w", err)
	}
	links := map[string]Link{}
	for _, l := range rows {
		links[l.Channel] = l
	}
	return links, nil
}

// SetLink keeps how a channel is reached.
func (s *Store) SetLink(ctx context.Context, l Link) error {
	if err := s.db.WithContext(ctx).Save(&l).Error; err != nil {
		return fmt.Errorf("keep the link of channel %q: %w", l.Channel, err)
	}
	return nil
}

// Shown is what a channel shows for a product.
type Shown struct {
	SKU       string
	Price     money.Rat
	Reference *money.Rat // the price it is reduced from
	Currency  string
	From      time.Time
}

// Shown is everything that a channel shows now, by SKU.
func (s *Store) Shown(ctx context.Context, channel string) (map[string]Shown, error) {
	var rows []publishedPrice
	err := s.db.WithContext(ctx).Where("channel = ? AND shows_now = 1 AND price IS NOT NULL", channel).Find(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("read what channel %q shows: %w", channel, err)
	}
	shown := make(map[string]Shown, len(rows))
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
}

func (publishedPrice) TableName() string { return "published_prices" }

func (r *publishedPrice) shown() (Shown, error) {
	one := Shown{SKU: r.SKU, Currency: r.Currency, From: r.FromAt}
	price, err := parseAmount(r.Price)
	if err == nil && price != nil {
		one.Price = *price
		one.Reference, err = parseAmount(r.Reference)
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

func amountText(a *money.Rat) *string {
	if a == nil {
		return nil
	}
	text := a.Fixed(6)
	return &text
}

// Publication is one sending of prices to one channel. Its status is "sending", then "done" (every row taken), "partly"
// (some rows refused), "failed" or, where the program ended meanwhile, "broken-off".
type Publication struct {
	ID       int64
	Channel  string
	Version  int64
	PricedAt time.Time // wall clock of the book
	Started  time.Time
	Ended    *time.Time
	Who      string
	Status   string
	Problem  string
}

// PublicationRow is one product's price in a publication. Answer is "" until the channel has answered, then "taken",
// "refused" or "failed".
type PublicationRow struct {
	SKU                   string
	Kind                  string // new, up, down, reference, gone
	Was, Price, Reference *money.Rat
	Currency              string
	Override              string // the reason given for sending a blocked row
	Answer, Message       string
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

// ErrBusy says that a publication to the channel is under way.
var ErrBusy = errors.New("a publication to this channel is under way")

// StartPublication keeps a publication with its rows before anything is sent. One at a time per channel: else ErrBusy.
func (s *Store) StartPublication(ctx context.Context, p *Publication, rows []PublicationRow) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		var free bool
		// The book's row serves as the lock under which no second publication begins.
		if err := tx.Exec("SELECT id FROM book WHERE id = 1 FOR UPDATE").Error; err != nil {
			return err
		}
		if err := tx.Raw("SELECT COUNT(*) = 0 FROM publications WHERE channel = ? AND status = 'sending'", p.Channel).Scan(&free).Error; err != nil {
			return err
		}
		if !free {
			return ErrBusy
		}
		p.Status = "sending"
		if err := tx.Create(p).Error; err != nil {
			return err
		}
		stored := make([]publicationRow, len(rows))
		for i, r := range rows {
			stored[i] = publicationRow{p.ID, r.SKU, r.Kind, amountText(r.Was), amountText(r.Price), amountText(r.Reference), r.Currency, r.Override, "", ""}
		}
		return tx.CreateInBatches(stored, batchSize).Error
	})
	if err != nil && !errors.Is(err, ErrBusy) {
		return fmt.Errorf("begin a publication to %q: %w", p.Channel, err)
	}
	return err
}

// AnswerRows keeps what a channel answered to some rows, and for those it took the price it shows from now on.
func (s *Store) AnswerRows(ctx context.Context, p *Publication, rows []PublicationRow, at time.Time) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		var taken []string
		var shown []publishedPrice
		stored := make([]publicationRow, len(rows))
		for i, r := range rows {
			stored[i] = publicationRow{p.ID, r.SKU, r.Kind, amountText(r.Was), amountText(r.Price), amountText(r.Reference), r.Currency, r.Override, r.Answer, shorten(r.Message, 500)}
			if r.Answer == "taken" {
				taken = append(taken, r.SKU)
				shown = append(shown, publishedPrice{Channel: p.Channel, SKU: r.SKU, Price: amountText(r.Price), Reference: amountText(r.Reference), Currency: r.Currency, FromAt: at.UTC(), Publication: p.ID})
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
			if err := tx.Exec("UPDATE published_prices SET until_at = ? WHERE channel = ? AND sku IN ? AND shows_now = 1", at.UTC(), p.Channel, some).Error; err != nil {
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
func (s *Store) EndPublication(ctx context.Context, p *Publication) error {
	err := s.db.WithContext(ctx).Model(p).Updates(map[string]any{"status": p.Status, "problem": shorten(p.Problem, 1000), "ended": p.Ended}).Error
	if err != nil {
		return fmt.Errorf("keep how publication %d ended: %w", p.ID, err)
	}
	return nil
}

// BreakOff marks publications that were under way when the program ended.
func (s *Store) BreakOff(ctx context.Context, at time.Time) error {
	err := s.db.WithContext(ctx).Exec("UPDATE publications SET status = 'broken-off', ended = ?, problem = 'The program ended while this was being sent.' WHERE status = 'sending'", at.UTC()).Error
	if err != nil {
		return fmt.Errorf("mark broken publications: %w", err)
	}
	return nil
}

// Publications are the newest of one channel, or of all with "".
func (s *Store) Publications(ctx context.Context, channel string, limit int) ([]Publication, error) {
	var list []Publication
	q := s.db.WithContext(ctx).Order("id DESC").Limit(limit)
	if channel != "" {
		q = q.Where("channel = ?", channel)
	}
	if err := q.Find(&list).Error; err != nil {
		return nil, fmt.Errorf("read the publications: %w", err)
	}
	return list, nil
}

// PublicationCounts says how many rows a publication has, how many were answered, and how many of those not taken.
type PublicationCounts struct{ Rows, Answered, Refused int }

// CountRows counts the rows of publications, in the database.
func (s *Store) CountRows(ctx context.Context, ids []int64) (map[int64]PublicationCounts, error) {
	var rows []struct {
		Publication int64
		PublicationCounts
	}
	counts := map[int64]PublicationCounts{}
	if len(ids) == 0 {
		return counts, nil
	}
	err := s.db.WithContext(ctx).Raw(`SELECT publication, COUNT(*) AS `+"`rows`"+`, COALESCE(SUM(answer <> ''), 0) AS answered,
		COALESCE(SUM(answer IN ('refused', 'failed')), 0) AS refused FROM publication_rows WHERE publication IN ? GROUP BY publication`, ids).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("count the rows of publications: %w", err)
	}
	for _, r := range rows {
		counts[r.Publication] = r.PublicationCounts
	}
	return counts, nil
}

// Publication is one publication with its rows.
func (s *Store) Publication(ctx context.Context, id int64) (Publication, []PublicationRow, error) {
	var p Publication
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
	rows := make([]PublicationRow, len(stored))
	for i, r := range stored {
		rows[i] = PublicationRow{SKU: r.SKU, Kind: r.Kind, Currency: r.Currency, Override: r.Override, Answer: r.Answer, Message: r.Message}
		for text, amount := range map[*string]**money.Rat{r.Was: &rows[i].Was, r.Price: &rows[i].Price, r.Reference: &rows[i].Reference} {
			if *amount, err = parseAmount(text); err != nil {
				return p, nil, fmt.Errorf("read publication %d: %w", id, err)
			}
		}
	}
	return p, rows, nil
}

// PriceSpan is a price that a channel showed for a time; a nil price says that it showed none.
type PriceSpan struct {
	Price, Reference *money.Rat
	Currency         string
	From             time.Time
	Until            *time.Time
	Publication      int64
}

// PriceHistory is what a channel showed for a product, newest first.
func (s *Store) PriceHistory(ctx context.Context, channel, sku string) ([]PriceSpan, error) {
	var rows []publishedPrice
	if err := s.db.WithContext(ctx).Where("channel = ? AND sku = ?", channel, sku).Order("id DESC").Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("read the price history of %q in %q: %w", sku, channel, err)
	}
	spans := make([]PriceSpan, len(rows))
	for i, r := range rows {
		price, err1 := parseAmount(r.Price)
		reference, err2 := parseAmount(r.Reference)
		if err := errors.Join(err1, err2); err != nil {
			return nil, fmt.Errorf("read the price history of %q in %q: %w", sku, channel, err)
		}
		spans[i] = PriceSpan{price, reference, r.Currency, r.FromAt, r.UntilAt, r.Publication}
	}
	return spans, nil
}

// Page is where people see the prices of a channel that is reached over HTTP, or "".
func (l Link) Page() string {
	u, err := url.Parse(l.Address)
	if l.Kind != "http" || err != nil {
		return ""
	}
	return u.Scheme + "://" + u.Host + "/"
}
