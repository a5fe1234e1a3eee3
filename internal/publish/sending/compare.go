package sending

import (
	"context"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"time"

	"dogbane/internal/money"
	"dogbane/internal/publish"
)

// DriftKeeper keeps drifts.
type DriftKeeper interface {
	Links(ctx context.Context) (map[string]publish.Link, error)
	ChannelState(ctx context.Context, channel string) (publish.ChannelState, error)
	Know(ctx context.Context, channel string, at time.Time) (*publish.Know, error)
	Underway(ctx context.Context) ([]publish.Publication, error)
	Drifts(ctx context.Context, channel string) ([]publish.Drift, error)
	// KeepDrifts keeps what comparing found in the place of what it found before.
	KeepDrifts(ctx context.Context, channel string, drifts []publish.Drift, at time.Time) error
}

// Comparer holds what channels show against what they took.
type Comparer struct {
	Keeper DriftKeeper
	Now    func() time.Time // the book's

	mu    sync.Mutex
	asked map[string]bool      // channels that are to be compared at once
	tried map[string]time.Time // when comparing failed last, by the book's clock
}

// Ask has a channel compared soon.
func (c *Comparer) Ask(channel string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.asked == nil {
		c.asked = map[string]bool{}
	}
	c.asked[channel] = true
}

// Run compares each channel in its period until ctx ends.
func (c *Comparer) Run(ctx context.Context) {
	for {
		if err := c.look(ctx); err != nil && ctx.Err() == nil {
			slog.Warn("cannot compare what channels show", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(2 * time.Second):
		}
	}
}

func (c *Comparer) look(ctx context.Context) error {
	links, err := c.Keeper.Links(ctx)
	if err != nil {
		return err
	}
	for channel, link := range links {
		c.mu.Lock()
		asked, tried := c.asked[channel], c.tried[channel]
		c.mu.Unlock()
		if readerOf(&link) == nil || link.Compare == 0 && !asked {
			continue
		}
		state, err := c.Keeper.ChannelState(ctx, channel)
		if err != nil {
			return err
		}
		if !asked && (state.Revision == 0 || state.Compared != nil && c.Now().Sub(*state.Compared) < link.Compare ||
			c.Now().Sub(tried).Abs() < link.Compare) {
			continue
		}
		if _, err := c.Compare(ctx, channel); err != nil {
			slog.Warn("cannot compare what a channel shows", "channel", channel, "error", err)
			// What was found before stands: nobody has seen that it is right by now.
			c.mu.Lock()
			if c.tried == nil {
				c.tried = map[string]time.Time{}
			}
			c.tried[channel] = c.Now()
			c.mu.Unlock()
		}
		c.mu.Lock()
		delete(c.asked, channel)
		c.mu.Unlock()
	}
	return nil
}

// longestComparing bounds how long a channel may take to say what it shows.
const longestComparing = 10 * time.Minute

const (
	mostShown  = 2_000_000 // prices that a channel may show
	longestSKU = 190       // bytes
)

// Compare reads what a channel shows and holds it against what it took. While a publication to it is under way nothing
// is compared: lines may be on their way.
func (c *Comparer) Compare(ctx context.Context, channel string) ([]publish.Drift, error) {
	return c.compare(ctx, channel, false)
}

// CompareFirst compares before the publication is sent that waits for it.
func (c *Comparer) CompareFirst(ctx context.Context, channel string) ([]publish.Drift, error) {
	return c.compare(ctx, channel, true)
}

func (c *Comparer) compare(ctx context.Context, channel string, first bool) ([]publish.Drift, error) {
	links, err := c.Keeper.Links(ctx)
	if err != nil {
		return nil, err
	}
	link, linked := links[channel]
	out := readerOf(&link)
	if !linked || out == nil {
		return nil, fmt.Errorf("channel %q: %w", channel, publish.ErrUnlinked)
	}
	state, err := c.Keeper.ChannelState(ctx, channel)
	if err != nil {
		return nil, err
	}
	know, err := c.Keeper.Know(ctx, channel, c.Now())
	if err != nil {
		return nil, err
	}
	reading, cancel := context.WithTimeout(ctx, longestComparing)
	defer cancel()
	shows := map[string][2]string{}
	for after, read := "", 0; ; {
		lines, next, err := out.Shown(reading, after)
		if err != nil {
			return nil, &Unreachable{err}
		}
		if read += len(lines); read > mostShown {
			return nil, &Unreachable{fmt.Errorf("it shows more than %d prices", mostShown)}
		}
		if len(lines) == 0 && next != "" {
			return nil, &Unreachable{fmt.Errorf("its page after %q is empty, and not the last", after)}
		}
		for _, l := range lines {
			if len(l.SKU) > longestSKU {
				continue // nothing that was ever sent
			}
			if at, err := time.Parse(time.RFC3339, l.Effective); err == nil && at.After(c.Now()) {
				continue // that is for later
			}
			shows[l.SKU] = [2]string{l.Price, l.Reference}
		}
		if next == "" {
			break
		}
		if next <= after {
			return nil, &Unreachable{fmt.Errorf("its page after %q ends at %q", after, next)}
		}
		after = next
	}
	underway, err := c.Keeper.Underway(ctx)
	if err != nil {
		return nil, err
	}
	since, err := c.Keeper.ChannelState(ctx, channel)
	if err != nil {
		return nil, err
	}
	before, err := c.Keeper.Drifts(ctx, channel)
	if err != nil {
		return nil, err
	}
	if since.Revision != state.Revision {
		return before, nil // a publication came and went while its pages were read
	}
	for i := range underway {
		if underway[i].Channel == channel && !first {
			return before, nil
		}
	}
	drifts := driftsOf(know, shows, before, c.Now())
	return drifts, c.Keeper.KeepDrifts(ctx, channel, drifts, c.Now())
}

// Unreachable says that a channel did not tell what it shows.
type Unreachable struct{ Err error }

func (u *Unreachable) Error() string {
	return "the channel does not say what it shows: " + u.Err.Error()
}

// Unwrap is why.
func (u *Unreachable) Unwrap() error { return u.Err }

// driftsOf are the differences between what a channel took and what it shows, by SKU; since when, if found before.
func driftsOf(know *publish.Know, shows map[string][2]string, before []publish.Drift,
	now time.Time) (drifts []publish.Drift) {
	known := map[string]publish.Drift{}
	for _, d := range before {
		known[d.SKU] = d
	}
	add := func(sku string, took, shown *string) {
		d := publish.Drift{SKU: sku, Took: took, Shows: shown, Since: now}
		if was, is := known[sku]; is && sameText(was.Took, took) && sameText(was.Shows, shown) {
			d.Since, d.Accepted = was.Since, was.Accepted
		}
		drifts = append(drifts, d)
	}
	for sku, s := range know.Shown {
		if know.Open[sku].Unanswered {
			continue // nobody knows what it took; that is a difference already
		}
		digits, _ := money.Digits(s.Currency)
		took := s.Price.Fixed(digits)
		reference := ""
		if s.Reference != nil {
			reference = s.Reference.Fixed(digits)
		}
		now, shown := shows[sku]
		switch {
		case !shown:
			add(sku, &took, nil)
		case !samePrice(now[0], took) || !samePrice(now[1], reference):
			text := now[0]
			if samePrice(now[0], took) {
				took, text = took+" from "+orNone(reference), text+" from "+orNone(now[1])
			}
			add(sku, &took, &text)
		}
	}
	for sku, now := range shows {
		if _, took := know.Shown[sku]; !took && !know.Open[sku].Unanswered {
			text := now[0]
			add(sku, nil, &text)
		}
	}
	slices.SortFunc(drifts, func(a, b publish.Drift) int { return strings.Compare(a.SKU, b.SKU) })
	return drifts
}

func orNone(text string) string {
	if text == "" {
		return "none"
	}
	return text
}

func sameText(a, b *string) bool {
	if a == nil || b == nil {
		return a == b
	}
	return *a == *b
}

// samePrice compares decimal texts by what they say: a channel may write 5 for 5.00.
func samePrice(a, b string) bool {
	if a == b {
		return true
	}
	x, err1 := money.Parse(a)
	y, err2 := money.Parse(b)
	return err1 == nil && err2 == nil && x.Equal(y)
}
