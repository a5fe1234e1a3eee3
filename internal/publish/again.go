package publish

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"dogbane/internal/book"
	"dogbane/internal/money"
)

// TakeBack prepares a publication that gives every line which still stems from an ended one, taken or unanswered, what
// the channel showed before it. Nothing in it is blocked, and it is never stale: the book may say what it likes.
func (d *Desk) TakeBack(ctx context.Context, snap *book.Snapshot, id int64, who string) (Publication, error) {
	of, err := d.keeper.Publication(ctx, id)
	if err != nil {
		return of, err
	}
	if !of.State.Ended() || of.State == Declined || of.State == Dropped {
		return of, fmt.Errorf("publication %d is %s: %w", id, of.State, ErrState)
	}
	if err := d.linked(ctx, of.Channel); err != nil {
		return of, err
	}
	rows, err := d.keeper.Before(ctx, &of)
	if err != nil {
		return of, err
	}
	for i := range rows {
		if err := rows[i].asBefore(taxOf(snap, of.Channel)); err != nil {
			return of, err
		}
	}
	rules, err := d.keeper.RulesBefore(ctx, &of)
	if err != nil {
		return of, err
	}
	if len(rows) == 0 && rules.None() {
		return of, ErrNothing
	}
	p := Publication{Channel: of.Channel, Version: of.Version, At: snap.Moment(d.now()), Prepared: d.now(), Who: who,
		Kind: TakeBack, Of: id, State: Prepared, Rules: rules}
	return p, d.keeper.Prepare(ctx, &p, rows)
}

// asBefore makes a line that was shown once one that is shown again: how long it holds is no longer what it was. One of
// which only the price is known, as it was taken before whole lines were kept, is told with that.
func (r *Row) asBefore(tax string) error {
	if r.Price == nil {
		r.Kind, r.Line, r.Digest = Gone, nil, nil
		return nil
	}
	r.Kind = kindOf(r.Was, r.Price)
	var line Line
	if r.Line != nil {
		if err := json.Unmarshal(r.Line, &line); err != nil {
			return fmt.Errorf("read the line of %q: %w", r.SKU, err)
		}
	} else {
		digits, _ := money.Digits(r.Currency)
		line = Line{SKU: r.SKU, Price: r.Price.Fixed(digits), Currency: r.Currency, Tax: tax, As: "ordinary"}
		if r.Reference != nil {
			line.Reference, line.ReferenceKind, line.As = r.Reference.Fixed(digits), string(Catalog), "reduced"
		}
	}
	line.Until = ""
	digest := line.Digest()
	r.Line, r.Digest = line.bytes(), &digest
	return nil
}

// taxOf says whether prices in a channel include tax.
func taxOf(snap *book.Snapshot, channel string) string {
	included := snap.Book.Settings.PricesIncludeTax
	if c := snap.Channel(channel); c != nil && c.TaxExcluded != nil {
		included = !*c.TaxExcluded
	}
	if included {
		return "included"
	}
	return "excluded"
}

// kindOf is how a price differs from the one before.
func kindOf(was, price *money.Rat) Kind {
	switch {
	case was == nil:
		return New
	case was.Less(*price):
		return Up
	case price.Less(*was):
		return Down
	}
	return Details
}

// Rest prepares a publication of the lines of an ended one that were refused or not answered, as its version of the
// book has them at the present.
func (d *Desk) Rest(ctx context.Context, snap *book.Snapshot, id int64, who string) (Publication, error) {
	of, err := d.keeper.Publication(ctx, id)
	if err != nil {
		return of, err
	}
	if of.State != Partly && of.State != Failed {
		return of, fmt.Errorf("publication %d is %s: %w", id, of.State, ErrState)
	}
	if err := d.linked(ctx, of.Channel); err != nil {
		return of, err
	}
	rows, err := d.keeper.Rows(ctx, id, "", 0)
	if err != nil {
		return of, err
	}
	if of.Kind == TakeBack {
		return d.restOfTakeBack(ctx, snap, &of, rows, who)
	}
	version, err := d.version(ctx, snap, of.Version)
	if errors.Is(err, ErrForgotten) { // another version was published since
		return of, errors.Join(ErrStale, err)
	}
	if err != nil {
		return of, err
	}
	found, err := d.at(ctx, version, of.Channel, snap.Moment(d.now()), false)
	if err != nil {
		return of, err
	}
	w := Wish{Who: who, Overrides: map[string]string{}}
	var left []Row
	for i := range rows {
		if a := rows[i].Answer; a == Refused || a == Unanswered {
			left = append(left, rows[i])
			w.Overrides[rows[i].SKU] = rows[i].Override
		}
	}
	found.only(left)
	for i := range found.Rows { // what is blocked by now waits for a publication by hand
		if r := &found.Rows[i]; r.Blocked() && w.Overrides[r.SKU] == "" {
			w.LeaveOut = append(w.LeaveOut, r.SKU)
		}
	}
	sent, err := w.rows(found)
	if err != nil {
		return of, err
	}
	p := Publication{Channel: of.Channel, Version: of.Version, At: found.At, Prepared: d.now(), Who: who, Kind: Rest,
		Of: id, State: Prepared, Rules: found.Rules}
	return p, d.keeper.Prepare(ctx, &p, sent)
}

// restOfTakeBack gives back what was not given back yet.
func (d *Desk) restOfTakeBack(ctx context.Context, snap *book.Snapshot, of *Publication, rows []Row,
	who string) (Publication, error) {
	var left []Row
	for i := range rows {
		if r := rows[i]; r.Answer == Refused || r.Answer == Unanswered {
			r.Answer, r.Message, r.Part = "", "", 0
			left = append(left, r)
		}
	}
	if len(left) == 0 {
		return *of, ErrNothing
	}
	p := Publication{Channel: of.Channel, Version: of.Version, At: snap.Moment(d.now()), Prepared: d.now(), Who: who,
		Kind: TakeBack, Of: of.Of, State: Prepared}
	return p, d.keeper.Prepare(ctx, &p, left)
}
