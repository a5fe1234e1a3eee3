package publish

import (
	"context"
	"time"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/publish/telling"
)

// There is a product's price in a channel: by the saved book, as it was published (what the channel's feed says), and
// as the channel itself showed it when it was compared last.
type There struct {
	Channel              string
	Book, Shows, Reports *money.Rat // nil: none
	Standing             Standing
	Since                *time.Time // since when it shows that; of a drift, since when it does
}

// Standing says how a price stands in a channel.
type Standing string

// The ways to stand. Several may hold; the gravest is told.
const (
	Drifting Standing = "drifting" // the channel shows another price than it took
	Unsure   Standing = "unsure"   // nobody knows whether it took the last one
	Back     Standing = "held"     // it was taken back, and is held so
	Old      Standing = "behind"   // the book says otherwise by now
	InStep   Standing = "in-step"
	Absent   Standing = "absent" // there is none, or nothing says how the channel is reached
)

// Everywhere is the prices of all products in all channels.
type Everywhere struct {
	channels []everywhere
}

type everywhere struct {
	code   string
	shown  map[string]telling.Shown
	rows   map[string]*Difference
	drifts map[string]*Drift
	silent bool // nothing was ever published in it, and nothing says how it is reached
}

// Everywhere holds what channels show against the saved book and against what they reported. drifts are those of a
// channel.
func (d *Desk) Everywhere(ctx context.Context, snap *book.Snapshot,
	drifts func(ctx context.Context, channel string) ([]Drift, error)) (*Everywhere, error) {
	all := &Everywhere{}
	for i := range snap.Book.Channels {
		one := everywhere{code: snap.Book.Channels[i].Code, rows: map[string]*Difference{}, drifts: map[string]*Drift{}}
		found, err := d.Differences(ctx, snap, one.code, snap.Moment(d.now()))
		if err != nil {
			return nil, err
		}
		for k := range found.Rows {
			one.rows[found.Rows[k].SKU] = &found.Rows[k]
		}
		if one.shown, err = d.Shown(ctx, one.code); err != nil {
			return nil, err
		}
		link, err := d.link(ctx, one.code)
		if err != nil {
			return nil, err
		}
		one.silent = link.Channel == "" && len(one.shown) == 0
		list, err := drifts(ctx, one.code)
		if err != nil {
			return nil, err
		}
		for k := range list {
			if !list[k].Accepted {
				one.drifts[list[k].SKU] = &list[k]
			}
		}
		all.channels = append(all.channels, one)
	}
	return all, nil
}

// Of is a product's price in each channel, in the book's order.
func (e *Everywhere) Of(sku string) []There {
	list := make([]There, len(e.channels))
	for i := range e.channels {
		list[i] = e.channels[i].of(sku)
	}
	return list
}

// Apart reports whether a product's price is not the same everywhere: the book's, published and shown.
func (e *Everywhere) Apart(sku string) bool {
	for i := range e.channels {
		if s := e.channels[i].of(sku).Standing; s != InStep && s != Absent {
			return true
		}
	}
	return false
}

func (e *everywhere) of(sku string) There {
	t := There{Channel: e.code, Standing: Absent}
	if shown, shows := e.shown[sku]; shows {
		t.Shows, t.Book, t.Since, t.Standing = &shown.Price, &shown.Price, &shown.From, InStep
	}
	t.Reports = t.Shows
	if row := e.rows[sku]; row != nil {
		t.Book = row.Price
		switch {
		case e.silent:
		case row.Held:
			t.Standing = Back
		case row.Unanswered:
			t.Standing = Unsure
		case (t.Book == nil) != (t.Shows == nil) || t.Book != nil && !t.Book.Equal(*t.Shows):
			t.Standing = Old
		}
	}
	if drift := e.drifts[sku]; drift != nil {
		t.Standing, t.Since, t.Reports = Drifting, &drift.Since, nil
		if drift.Shows != nil {
			if a, err := money.Parse(*drift.Shows); err == nil {
				t.Reports = &a
			}
		}
	}
	return t
}

// Drift is a product of which a channel does not show what it took.
type Drift struct {
	SKU         string
	Took, Shows *string // prices; nil: none
	Since       time.Time
	Accepted    bool // somebody lives with it, as long as it stays what it is
}
