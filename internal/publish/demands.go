package publish

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish/pieces"
	"dogbane/internal/publish/telling"
)

// demands reports whether a second person has to agree to a publication. By percent that looks at all that it brings,
// at any moment, for anybody: whoever sends it cannot pass the demand by something that moves no price now.
func (d *Desk) demands(ctx context.Context, snap *book.Snapshot, link *Link, p *Publication) (bool, error) {
	switch link.Approval {
	case "", "none":
		return false, nil
	case "always":
		return true, nil
	}
	over, err := money.Parse(link.Approval)
	if err != nil {
		return true, nil
	}
	e, err := d.Published(ctx, snap, p.Channel)
	if err != nil {
		return false, err
	}
	now, brought, err := d.brings(ctx, snap, e, p)
	if err != nil {
		return false, err
	}
	for _, c := range brought {
		if c.Kind == book.Rules && c.After != nil {
			if r, err := bookfile.ReadRule(c.After); err != nil || r.Offer != nil {
				return true, err
			}
		}
	}
	rows, err := d.keeper.Rows(ctx, p.ID, "", 0)
	if err != nil {
		return false, err
	}
	if moves, err := d.linesMove(ctx, p, rows, over); err != nil || moves {
		return moves, err
	}
	if e == nil || len(brought) == 0 {
		return false, nil
	}
	return d.plansMove(ctx, p, e.Snapshot, now, brought, over)
}

// brings is the book that a publication makes, and the changes of pieces that it brings.
func (d *Desk) brings(ctx context.Context, snap *book.Snapshot, e *Edition, p *Publication) (*book.Snapshot,
	[]book.Change, error) {
	switch p.Brings {
	case BringsBook:
		var all []book.Change
		for i := range snap.Book.Rules {
			r := &snap.Book.Rules[i]
			all = append(all, book.OfRule(nil, r))
		}
		return snap, all, nil
	case BringsPieces:
		b, err := d.keeper.Brought(ctx, p.ID)
		if err != nil {
			return nil, nil, err
		}
		own, err := pieces.Apply(e.own, b)
		if err != nil {
			return nil, nil, err
		}
		now, err := composed(own, snap, p.Channel, e.Engine)
		return now, b.Changes, err
	}
	if e == nil {
		return snap, nil, nil
	}
	return e.Snapshot, nil, nil
}

// linesMove reports whether a line that is sent moves a price against what the channel took by more than some percent:
// for guests or a group, at any quantity that one of the lines tells of. What is not shown is held against the price
// that was shown last.
func (d *Desk) linesMove(ctx context.Context, p *Publication, rows []Row, over money.Rat) (bool, error) {
	var shown, unshown []string
	is := map[string]*telling.Line{}
	for i := range rows {
		r := &rows[i]
		if !r.Goes() || r.Line == nil {
			continue
		}
		var line telling.Line
		if err := json.Unmarshal(r.Line, &line); err != nil {
			return false, fmt.Errorf("read the line of %q: %w", r.SKU, err)
		}
		is[r.SKU] = &line
		if r.Was != nil {
			shown = append(shown, r.SKU)
		} else {
			unshown = append(unshown, r.SKU)
		}
	}
	took, err := d.keeper.LinesOf(ctx, p.Channel, d.now(), shown)
	if err != nil {
		return false, err
	}
	for i := range took {
		line := telling.Line{Price: took[i].Price.String()}
		if took[i].Line != nil {
			if err := json.Unmarshal(took[i].Line, &line); err != nil {
				return false, fmt.Errorf("read what is shown of %q: %w", took[i].SKU, err)
			}
		}
		if moves, err := telling.LineMoves(&line, is[took[i].SKU], over); err != nil || moves {
			return moves, err
		}
	}
	last, err := d.keeper.LastShown(ctx, p.Channel, unshown)
	if err != nil {
		return false, err
	}
	for sku, price := range last {
		if moves, err := telling.LineMoves(&telling.Line{Price: price.String()}, is[sku], over); err != nil || moves {
			return moves, err
		}
	}
	return false, nil
}

// plansMove reports whether what is brought moves a price later by more than some percent, against what the published
// book says then without it: for guests, groups and the customers that brought rules name, at each quantity.
func (d *Desk) plansMove(ctx context.Context, p *Publication, before, now *book.Snapshot, brought []book.Change,
	over money.Rat) (bool, error) {
	was, err := d.Telling(ctx, before, p.Channel)
	if err != nil {
		return false, err
	}
	is, err := d.Telling(ctx, now, p.Channel)
	if err != nil {
		return false, err
	}
	pairs := []*telling.Pair{telling.Between(was, is, true)}
	for _, code := range customersOf(now.Book, brought) {
		vp := pricing.Viewpoint{Customer: code}
		pairs = append(pairs, telling.Between(was.To(vp), is.To(vp), true))
	}
	for _, x := range pairs {
		moves := false
		err := x.Differing(p.At, func(at pricing.Moment, _ string, was, is *telling.Figure) {
			if moves || was.Digest == nil || is.Digest == nil {
				return
			}
			for place := range min(len(was.Prices), len(is.Prices)) {
				moves = moves || telling.EntriesMove(was.Prices[place], is.Prices[place], over)
			}
		})
		if err != nil || moves {
			return moves, err
		}
	}
	return false, nil
}

// customersOf are the customers whom brought rules and campaigns name.
func customersOf(b *pricing.Book, brought []book.Change) (codes []string) {
	note := func(a *pricing.Audience) {
		if a != nil {
			codes = append(codes, a.Customers...)
		}
	}
	for _, c := range brought {
		for _, doc := range []json.RawMessage{c.Before, c.After} {
			if doc == nil {
				continue
			}
			switch c.Kind {
			case book.Rules:
				if r, err := bookfile.ReadRule(doc); err == nil {
					note(r.Audience)
					for i := range b.Campaigns {
						if b.Campaigns[i].Code == r.Campaign {
							note(b.Campaigns[i].Audience)
						}
					}
				}
			case book.Campaigns:
				if k, err := bookfile.ReadCampaign(doc); err == nil {
					note(k.Audience)
				}
				for i := range b.Rules {
					if b.Rules[i].Campaign == c.Code {
						note(b.Rules[i].Audience)
					}
				}
			case book.Ladders:
				for i := range b.Rules {
					if b.Rules[i].Ladder == c.Code {
						note(b.Rules[i].Audience)
					}
				}
			}
		}
	}
	slices.Sort(codes)
	codes = slices.Compact(codes)
	return slices.DeleteFunc(codes, func(code string) bool {
		return !slices.ContainsFunc(b.Customers, func(c pricing.Customer) bool { return c.Code == code })
	})
}
