package publish

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/publish/pieces"
	"dogbane/internal/publish/telling"
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
	p := Publication{Channel: of.Channel, Version: of.Version, At: snap.Moment(d.now()), Prepared: d.now(), Who: who,
		Kind: TakeBack, Of: id, State: Prepared, Rules: rules}
	if err := d.giveBack(ctx, snap, &of, &p); err != nil {
		return of, err
	}
	if len(rows) == 0 && rules.None() && p.Brings == BringsNothing {
		return of, ErrNothing
	}
	return p, d.keeper.Prepare(ctx, &p, rows)
}

// giveBack has a take-back bring the pieces that a publication brought as they were before it, unless they were
// published again since. Of the one that began a channel's book there was none before.
func (d *Desk) giveBack(ctx context.Context, snap *book.Snapshot, of, p *Publication) error {
	e, err := d.Published(ctx, snap, of.Channel)
	if err != nil || e == nil {
		return err
	}
	switch {
	case of.Brings == BringsBook && e.base == of.Version && len(e.by) == 0:
		p.Brings = BringsNone
		return nil
	case of.Brings != BringsPieces || !slices.Contains(e.by, of.ID):
		return nil
	}
	b, err := d.keeper.Brought(ctx, of.ID)
	if err != nil {
		return err
	}
	since := map[pieces.Key]bool{}
	for _, id := range e.by {
		if id > of.ID {
			later, err := d.keeper.Brought(ctx, id)
			if err != nil {
				return err
			}
			for _, k := range later.Keys() {
				since[k] = true
			}
		}
	}
	var back pieces.Brought
	for _, c := range book.Reversed(b.Changes) {
		if k := (pieces.Key{Kind: c.Kind, Code: c.Code}); !since[k] {
			back.Changes = append(back.Changes, c)
			back.Held = append(back.Held, book.Change{Kind: c.Kind, Code: c.Code, After: savedDoc(snap, k)})
			change := pieces.Changed
			if c.After == nil {
				change = pieces.Gone
			} else if c.Before == nil {
				change = pieces.New
			}
			p.Named.Pieces = append(p.Named.Pieces, NamedPiece{Piece: k.String(), Name: k.Code, Change: change})
		}
	}
	if len(back.Changes) == 0 {
		return nil
	}
	if _, err := pieces.Apply(e.own, back); err != nil {
		return err // what was published since needs what would go
	}
	p.Brings, p.Brought = BringsPieces, &back
	return nil
}

// savedDoc is a piece as the saved book has it; nil: it is gone there.
func savedDoc(snap *book.Snapshot, k pieces.Key) json.RawMessage {
	if k.Kind != book.Settings {
		return snap.Doc(k.Kind, k.Code)
	}
	keys, _ := book.Keys(bookfile.EncodeSettings(&snap.Book.Settings)) // the encoder wrote it
	return keys[k.Code]
}

// asBefore makes a line that was shown once one that is shown again: how long it holds is no longer what it was. One of
// which only the price is known, as it was taken before whole lines were kept, is told with that.
func (r *Row) asBefore(tax string) error {
	if r.Price == nil {
		r.Kind, r.Line, r.Digest = Gone, nil, nil
		return nil
	}
	r.Kind = kindOf(r.Was, r.Price)
	var line telling.Line
	if r.Line != nil {
		if err := json.Unmarshal(r.Line, &line); err != nil {
			return fmt.Errorf("read the line of %q: %w", r.SKU, err)
		}
	} else {
		digits, _ := money.Digits(r.Currency)
		line = telling.Line{SKU: r.SKU, Price: r.Price.Fixed(digits), Currency: r.Currency, Tax: tax, As: "ordinary"}
		if r.Reference != nil {
			line.Reference, line.ReferenceKind, line.As = r.Reference.Fixed(digits), string(telling.Catalog), "reduced"
		}
	}
	line.Until = ""
	digest := line.Digest()
	r.Line, r.Digest = line.Bytes(), &digest
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

// Rest prepares a publication of the lines of an ended one that were refused or not answered, as the published book has
// them at the present.
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
	e, err := d.Published(ctx, snap, of.Channel)
	if err != nil {
		return of, err
	}
	to, brings, err := d.restOf(ctx, snap, e, &of)
	if err != nil {
		return of, err
	}
	found, err := d.told(ctx, to, of.Channel, snap.Moment(d.now()), false)
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
		Of: id, State: Prepared, Rules: found.Rules, Brings: brings, Brought: &to.brought,
		Named: Named{Pieces: to.names()}}
	return p, d.keeper.Prepare(ctx, &p, sent)
}

// restOf is the book of which the rest of a publication is told: the published one, with what that publication brings
// where nothing of it was taken.
func (d *Desk) restOf(ctx context.Context, snap *book.Snapshot, e *Edition, of *Publication) (*target, Brings, error) {
	switch {
	case of.Brings == BringsBook && e == nil:
		to, err := d.again(ctx, snap, nil, of)
		return to, BringsBook, err
	case e == nil:
		return nil, "", ErrStale
	case of.Brings == BringsPieces && !slices.Contains(e.by, of.ID):
		b, err := d.keeper.Brought(ctx, of.ID)
		if err != nil {
			return nil, "", err
		}
		to, err := d.sameChoice(snap, e, of.Channel, b)
		return to, BringsPieces, err
	}
	return &target{Snapshot: e.Snapshot}, BringsNothing, nil
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
	e, err := d.Published(ctx, snap, of.Channel)
	if err != nil {
		return p, err
	}
	if e != nil && of.Brings != BringsNothing && !slices.Contains(e.by, of.ID) { // nothing of it was taken
		first, err := d.keeper.Publication(ctx, of.Of)
		if err != nil {
			return p, err
		}
		if err := d.giveBack(ctx, snap, &first, &p); err != nil {
			return p, err
		}
	}
	return p, d.keeper.Prepare(ctx, &p, left)
}
