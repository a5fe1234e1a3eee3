package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/publish/telling"
)

// priceColumns are the columns in which a price is kept, while it is shown and afterwards; amounts are decimal texts.
const priceColumns = "channel, sku, price, reference, currency, from_at, publication, digest, reduced, kept_reference"

// keptPrice is a row of shown_prices, the newest that a channel took of each product, or of past_prices, what it showed
// before.
type keptPrice struct {
	Channel          string
	SKU              string `gorm:"column:sku"`
	Price, Reference *string
	Currency         string
	FromAt           time.Time
	UntilAt          *time.Time // of a past one
	Publication      int64
	Line             *string // of another table, where withLine asks for it
	Digest           []byte
	Reduced          bool
	KeptReference    *string
}

func (r *keptPrice) shown() (telling.Shown, error) {
	one := telling.Shown{SKU: r.SKU, Currency: r.Currency, From: r.FromAt, Publication: r.Publication,
		Begun: telling.Begun{Reduced: r.Reduced}}
	price, err := parseAmount(r.Price)
	if err == nil && price != nil {
		one.Price = *price
		one.Reference, err = parseAmount(r.Reference)
	}
	if err == nil {
		one.Begun.Reference, err = parseAmount(r.KeptReference)
	}
	if err != nil {
		return one, fmt.Errorf("read the published price of %q: %w", r.SKU, err)
	}
	if len(r.Digest) == len(telling.Digest{}) {
		d := telling.Digest(r.Digest)
		one.Digest = &d
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

// channelState is a row of the table of that name.
type channelState struct {
	Channel  string `gorm:"primaryKey"`
	Revision int64
	Version  *int64
	Base     *int64
	Book     int64
	DueAfter *int64
	Compared *time.Time
}

// ChannelState is what there is to know of a channel as a whole; a channel to which nothing was published has the zero
// value.
func (s *Store) ChannelState(ctx context.Context, channel string) (publish.ChannelState, error) {
	var row channelState
	err := s.db.WithContext(ctx).Where("channel = ?", channel).Take(&row).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return publish.ChannelState{}, nil
	}
	if err != nil {
		return publish.ChannelState{}, fmt.Errorf("read the state of channel %q: %w", channel, err)
	}
	st := publish.ChannelState{Revision: row.Revision, Compared: row.Compared}
	if row.Version != nil {
		st.Version = *row.Version
	}
	if row.Base != nil {
		st.Base = *row.Base
	}
	st.Book = row.Book
	if row.DueAfter != nil {
		after := pricing.Moment(*row.DueAfter)
		st.DueAfter = &after
	}
	return st, nil
}

// touch raises the revision of a channel, in a transaction.
func touch(tx *gorm.DB, channel string) error {
	return tx.Exec("INSERT INTO channel_states (channel, revision) VALUES (?, 1) ON DUPLICATE KEY UPDATE revision = revision + 1",
		channel).Error
}

// Know is what is known of a channel: what it shows at an instant and will show later, which lines are open there, and
// which rules it took.
func (s *Store) Know(ctx context.Context, channel string, at time.Time) (*publish.Know, error) {
	k := &publish.Know{Shown: map[string]telling.Shown{}, Later: map[string]publish.Later{},
		Open: map[string]publish.Open{}, Rules: map[string]json.RawMessage{}}
	failed := func(err error) (*publish.Know, error) {
		return nil, fmt.Errorf("read what channel %q shows: %w", channel, err)
	}
	db := s.db.WithContext(ctx)
	later := false
	err := eachKept(db.Table("shown_prices").Select(priceColumns+", NULL").Where(
		"channel = ? AND (price IS NOT NULL OR from_at > ?)", channel, at.UTC()), func(r *keptPrice) error {
		one, err := r.shown()
		switch {
		case err != nil:
			return err
		case !one.From.After(at):
			k.Shown[one.SKU] = one
			return nil
		case r.Price == nil:
			k.Later[one.SKU] = publish.Later{From: one.From}
		default:
			k.Later[one.SKU] = publish.Later{Shown: &one, From: one.From}
		}
		later = true
		if k.Until == nil || one.From.Before(*k.Until) {
			k.Until = &one.From
		}
		return nil
	})
	if err != nil {
		return failed(err)
	}
	if later { // what is shown until then
		var rows []keptPrice
		if err := db.Raw(`SELECT o.* FROM shown_prices n JOIN past_prices o ON o.channel = n.channel AND o.sku = n.sku
			WHERE n.channel = ? AND n.from_at > ? AND o.until_at > ? AND o.from_at <= ? AND o.price IS NOT NULL`, channel,
			at.UTC(), at.UTC(), at.UTC()).Scan(&rows).Error; err != nil {
			return failed(err)
		}
		for i := range rows {
			one, err := rows[i].shown()
			if err != nil {
				return nil, err
			}
			k.Shown[one.SKU] = one
		}
	}
	var open []openLine
	if err := db.Where("channel = ?", channel).Find(&open).Error; err != nil {
		return failed(err)
	}
	for _, o := range open {
		one := k.Open[o.SKU]
		switch publish.Answer(o.Why) {
		case publish.Unanswered:
			one.Unanswered = true
		case publish.Held:
			price, err := parseAmount(o.Price)
			if err != nil {
				return failed(err)
			}
			one.Held, one.HeldPrice = true, price
		case publish.LeftOut:
			one.Behind, one.LeftOut = true, true
			copy(one.Left[:], o.Digest)
		default: // refused, or not chosen
			one.Behind = true
		}
		if one.Since == 0 || o.Since != 0 && o.Since < one.Since {
			one.Since = o.Since
		}
		k.Open[o.SKU] = one
	}
	var rules []channelRule
	if err := db.Where("channel = ?", channel).Find(&rules).Error; err != nil {
		return failed(err)
	}
	for _, r := range rules {
		k.Rules[r.Code] = json.RawMessage(r.Doc)
	}
	return k, nil
}

// Lowest are the lowest prices of some products that a channel showed from an instant on, before another, by SKU, the
// price shown at the first included.
func (s *Store) Lowest(ctx context.Context, channel string, from, to time.Time,
	skus []string) (map[string]money.Rat, error) {
	lowest := map[string]money.Rat{}
	// Each table by its key: the two in one would be kept on the side and sorted first.
	for _, of := range []*gorm.DB{
		s.db.WithContext(ctx).Table("past_prices").Where("until_at > GREATEST(from_at, ?)", from.UTC()),
		s.db.WithContext(ctx).Table("shown_prices"),
	} {
		of = of.Select("sku, MIN(price) AS low").Group("sku").Where(
			"channel = ? AND price IS NOT NULL AND from_at < ? AND sku IN ?", channel, to.UTC(), skus)
		var rows []struct {
			SKU string `gorm:"column:sku"`
			Low string
		}
		if err := of.Scan(&rows).Error; err != nil {
			return nil, fmt.Errorf("read the lowest prices of channel %q: %w", channel, err)
		}
		for _, r := range rows {
			low, err := money.Parse(r.Low)
			if err != nil {
				return nil, fmt.Errorf("read the lowest price of %q in channel %q: %w", r.SKU, channel, err)
			}
			if known, is := lowest[r.SKU]; !is || low.Cmp(known) < 0 {
				lowest[r.SKU] = low
			}
		}
	}
	return lowest, nil
}

// onShow are the rows of what a channel shows at an instant, with their lines. Where it was told ahead of its time,
// that may be what it showed before the newest that it took.
func (s *Store) onShow(ctx context.Context, channel string, at time.Time, ahead bool, more string,
	args ...any) (list []publish.ShownLine, err error) {
	from := "SELECT " + priceColumns + " FROM shown_prices WHERE channel = ? AND price IS NOT NULL AND from_at <= ?" + more
	values := append([]any{channel, at.UTC()}, args...)
	if ahead {
		from = "(" + from + ") UNION ALL (SELECT " + priceColumns + ` FROM past_prices WHERE channel = ? AND price IS NOT NULL
			AND from_at <= ? AND until_at > ?` + more + ")"
		values = append(append(values, channel, at.UTC(), at.UTC()), args...)
	}
	err = eachKept(s.db.WithContext(ctx).Raw("SELECT "+withLine("p")+" FROM ("+from+") p ORDER BY sku", values...),
		func(r *keptPrice) error {
			one := publish.ShownLine{}
			if r.Line != nil {
				one.Line = json.RawMessage(*r.Line)
			}
			var err error
			one.Shown, err = r.shown()
			list = append(list, one)
			return err
		})
	if err != nil {
		return nil, fmt.Errorf("read what channel %q shows: %w", channel, err)
	}
	return list, nil
}

// eachKept visits rows of priceColumns and a line. They are read by hand: whole channels are.
func eachKept(q *gorm.DB, visit func(r *keptPrice) error) error {
	rows, err := q.Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var r keptPrice
		if err := rows.Scan(&r.Channel, &r.SKU, &r.Price, &r.Reference, &r.Currency, &r.FromAt, &r.Publication, &r.Digest,
			&r.Reduced, &r.KeptReference, &r.Line); err != nil {
			return err
		}
		if err := visit(&r); err != nil {
			return err
		}
	}
	return rows.Err()
}

// ShownLines are whole lines that a channel shows at an instant, by the bytes of their SKU, after one. Where it was
// told nothing ahead of its time, what it shows is the newest of each product.
func (s *Store) ShownLines(ctx context.Context, channel string, at time.Time, ahead bool, after string,
	limit int) ([]publish.ShownLine, error) {
	list, err := s.onShow(ctx, channel, at, ahead, " AND sku > ? ORDER BY sku LIMIT ?", after, limit)
	return list[:min(limit, len(list))], err
}

// LinesOf are the whole lines that a channel shows of some products at an instant.
func (s *Store) LinesOf(ctx context.Context, channel string, at time.Time, skus []string) (list []publish.ShownLine,
	err error) {
	for some := range slices.Chunk(skus, batchSize) {
		lines, err := s.onShow(ctx, channel, at, true, " AND sku IN ?", some)
		if err != nil {
			return nil, err
		}
		list = append(list, lines...)
	}
	return list, nil
}

// LastShown are the prices that a channel showed last of some products that it does not show any more, by SKU.
func (s *Store) LastShown(ctx context.Context, channel string, skus []string) (map[string]money.Rat, error) {
	last := map[string]money.Rat{}
	for some := range slices.Chunk(skus, batchSize) {
		var rows []struct {
			SKU   string `gorm:"column:sku"`
			Price string
		}
		err := s.db.WithContext(ctx).Raw(`SELECT p.sku, p.price FROM past_prices p JOIN (SELECT sku, MAX(publication) AS newest
			FROM past_prices WHERE channel = ? AND sku IN ? AND price IS NOT NULL GROUP BY sku) m
			ON m.sku = p.sku AND m.newest = p.publication WHERE p.channel = ?`, channel, some, channel).Scan(&rows).Error
		if err != nil {
			return nil, fmt.Errorf("read the last prices of channel %q: %w", channel, err)
		}
		for _, r := range rows {
			price, err := money.Parse(r.Price)
			if err != nil {
				return nil, fmt.Errorf("read the last price of %q in channel %q: %w", r.SKU, channel, err)
			}
			last[r.SKU] = price
		}
	}
	return last, nil
}

// PriceHistory is what a channel showed for a product, newest first.
func (s *Store) PriceHistory(ctx context.Context, channel, sku string) ([]publish.Span, error) {
	var rows []keptPrice
	if err := s.db.WithContext(ctx).Raw("SELECT "+priceColumns+", until_at FROM past_prices WHERE channel = ? AND sku = ? UNION ALL SELECT "+
		priceColumns+", NULL FROM shown_prices WHERE channel = ? AND sku = ? ORDER BY publication DESC", channel, sku, channel,
		sku).Scan(&rows).Error; err != nil {
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

// openLine is a row of the table of that name.
type openLine struct {
	Channel     string `gorm:"primaryKey"`
	SKU         string `gorm:"column:sku;primaryKey"`
	Why         string `gorm:"primaryKey"`
	Publication int64
	Price       *string
	Since       int64
	Digest      []byte
}

// Release lets go of lines that are held back in a channel.
func (s *Store) Release(ctx context.Context, channel string, skus []string) error {
	return s.release(ctx, channel, publish.Held, skus)
}

// ReleaseLeftOut lets go of lines that are left out in a channel.
func (s *Store) ReleaseLeftOut(ctx context.Context, channel string, skus []string) error {
	return s.release(ctx, channel, publish.LeftOut, skus)
}

func (s *Store) release(ctx context.Context, channel string, why publish.Answer, skus []string) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		for from := 0; from < len(skus); from += batchSize {
			if err := tx.Exec("DELETE FROM open_lines WHERE channel = ? AND why = ? AND sku IN ?", channel, why,
				skus[from:min(from+batchSize, len(skus))]).Error; err != nil {
				return err
			}
			if why == publish.LeftOut {
				if err := tx.Exec("DELETE FROM planned_lines WHERE channel = ? AND reason = '' AND sku IN ?", channel,
					skus[from:min(from+batchSize, len(skus))]).Error; err != nil {
					return err
				}
			}
		}
		return touch(tx, channel)
	})
	if err != nil {
		return fmt.Errorf("release lines of channel %q: %w", channel, err)
	}
	return nil
}

// channelRule is a row of the table of that name.
type channelRule struct {
	Channel     string `gorm:"primaryKey"`
	Code        string `gorm:"primaryKey"`
	Doc         string
	Publication int64
}
