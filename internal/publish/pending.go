package publish

import (
	"context"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/publish/pieces"
	"dogbane/internal/publish/telling"
)

// reaches finds which pieces reach a product, as published or as brought.
type reaches struct {
	pieces      []pieces.Piece
	before, now *pricing.Engine
	was, is     []pricing.Set // by piece; nil: all products
	all         []bool
}

// reachesOf are those of some pieces in two books. at is the moment at which a rule has to take part; a rule that does
// not open then reaches nothing. nil: whenever it does.
func reachesOf(some []pieces.Piece, before, now *pricing.Engine) *reaches {
	return reachesAt(some, before, now, nil)
}

func reachesAt(some []pieces.Piece, before, now *pricing.Engine, at *pricing.Moment) *reaches {
	r := &reaches{pieces: some, before: before, now: now, was: make([]pricing.Set, len(some)),
		is: make([]pricing.Set, len(some)), all: make([]bool, len(some))}
	for i := range some {
		p := &some[i]
		if p.Kind == book.Channels || p.Kind == book.Settings {
			r.all[i] = true
			continue
		}
		code := p.Code
		if p.Was != "" {
			code = p.Was
		}
		r.was[i] = reachOf(before, pieces.Key{Kind: p.Kind, Code: code}, at)
		r.is[i] = reachOf(now, p.Key, at)
	}
	return r
}

// reachOf are the products that a piece of a book reaches.
func reachOf(e *pricing.Engine, k pieces.Key, at *pricing.Moment) pricing.Set {
	reach := e.SetOf(nil)
	open := func(ordinal int, r *pricing.Rule) bool {
		c := e.Campaign(ordinal)
		return at == nil || r.Status == pricing.On && r.Window.Open(*at) &&
			(c == nil || c.Status == pricing.On && c.Window.Open(*at))
	}
	if k.Kind == book.Products {
		p, is := e.ProductNumber(k.Code)
		if is {
			reach = e.SetOf([]int32{p})
		}
		e.Rules(func(ordinal int, r *pricing.Rule, _ pricing.Set) {
			if breaks, _ := e.Breaks(ordinal); open(ordinal, r) && derivesFrom(r, breaks, k.Code) {
				reach = reach.Or(e.MayReach(ordinal))
			}
		})
		return reach
	}
	e.Rules(func(ordinal int, r *pricing.Rule, _ pricing.Set) {
		if r.Offer != nil || !open(ordinal, r) { // no line tells of an offer
			return
		}
		rests := false
		switch k.Kind {
		case book.Rules:
			rests = r.Code == k.Code
		case book.Campaigns:
			rests = r.Campaign == k.Code
		case book.Ladders:
			rests = r.Ladder == k.Code
		case book.Ranges:
			rests = pieces.NamesRange(e.Book(), r, k.Code)
		}
		if rests {
			reach = reach.Or(e.MayReach(ordinal))
		}
	})
	if k.Kind == book.Ranges && pieces.GuardsNameRange(e.Book(), k.Code) {
		reach = e.Match(&pricing.Where{Field: pricing.FieldAll})
	}
	return reach
}

// derivesFrom reports whether a rule takes prices from those of a product.
func derivesFrom(r *pricing.Rule, breaks []pricing.Break, sku string) bool {
	is := func(e *pricing.Effect) bool { return e != nil && e.Kind == pricing.ToDerived && e.Derive.From == sku }
	return is(r.Effect) || slices.ContainsFunc(breaks, func(b pricing.Break) bool { return is(&b.Effect) })
}

// of are the pieces, by their place, that reach a product.
func (r *reaches) of(sku string) (places []int) {
	was, had := r.before.ProductNumber(sku)
	is, has := r.now.ProductNumber(sku)
	for i := range r.pieces {
		if r.all[i] || had && r.was[i].Has(was) || has && r.is[i].Has(is) {
			places = append(places, i)
		}
	}
	return places
}

// LaterLines is how many lines a piece makes another at a later moment, than what is published says then.
type LaterLines struct {
	At    pricing.Moment
	Lines int
	// Stopped are those of them that are blocked then, by SKU: they are left out at that moment, unless somebody gives a
	// reason.
	Stopped map[string][]Stop
}

// Pending is a piece that differs in a channel, with what comes of it.
type Pending struct {
	pieces.Piece
	Lines   int // rows of the differences that it reaches
	Later   []LaterLines
	Blocked []Stop // of an offer; a blocked price is its row's
	Stopped int    // rows that it reaches and that are blocked
	Held    bool
	Chosen  bool
}

// Pendings are what was changed in a channel, and the prices that come of it.
type Pendings struct {
	*Differences
	All   []Pending
	Of    [][]int // by row, the places of the pieces that reach its product
	First bool    // nothing is published there yet: everything goes
}

// Pending are the pieces that differ in a channel with the rows that a choice of them makes.
func (d *Desk) Pending(ctx context.Context, snap *book.Snapshot, channel string, c Choice) (*Pendings, error) {
	at := snap.Moment(d.now())
	e, err := d.Published(ctx, snap, channel)
	if err != nil {
		return nil, err
	}
	to, err := d.target(snap, channel, e, c)
	if err != nil {
		return nil, err
	}
	found, err := d.Differences(ctx, to.Snapshot, channel, at)
	if err != nil {
		return nil, err
	}
	if e != nil {
		next := *found
		next.Rows = slices.Clone(found.Rows)
		d.release(to, e, &next)
		if c.All && len(to.some) < len(e.Pieces) { // what is held back is no part of it, and is shown
			if err := d.addHeld(ctx, snap, &next); err != nil {
				return nil, err
			}
		}
		found = &next
	}
	out := &Pendings{Differences: found, First: e == nil, Of: make([][]int, len(found.Rows))}
	if e == nil {
		return out, nil
	}
	reach := reachesAt(e.Pieces, e.Engine, snap.Engine, &at)
	stopped, err := d.stoppedPieces(&target{Snapshot: snap, some: e.Pieces}, channel)
	if err != nil {
		return nil, err
	}
	later, err := d.laterOf(ctx, snap, channel, e, at)
	if err != nil {
		return nil, err
	}
	chosen := map[pieces.Key]bool{}
	for _, p := range to.some {
		chosen[p.Key] = true
	}
	for i, p := range e.Pieces {
		out.All = append(out.All, Pending{Piece: p, Held: e.Held[p.Key], Chosen: chosen[p.Key], Blocked: stopped[p.Key],
			Later: later[i]})
	}
	for i := range found.Rows {
		r := &found.Rows[i]
		out.Of[i] = reach.of(r.SKU)
		for _, place := range out.Of[i] {
			out.All[place].Lines++
			if r.Blocked() {
				out.All[place].Stopped++
			}
		}
	}
	return out, nil
}

// addHeld adds the rows that are held back with the pieces that would bring them.
func (d *Desk) addHeld(ctx context.Context, snap *book.Snapshot, found *Differences) error {
	all, err := d.Differences(ctx, snap, found.Channel, found.At)
	if err != nil {
		return err
	}
	known := map[string]bool{}
	for i := range found.Rows {
		known[found.Rows[i].SKU] = true
	}
	for _, r := range all.Rows {
		if r.Held && !known[r.SKU] {
			found.Rows = append(found.Rows, r)
		}
	}
	found.sort()
	return nil
}

// stoppedPieces are the offers among pieces that may not be sent without a reason, with why.
func (d *Desk) stoppedPieces(to *target, channel string) (map[pieces.Key][]Stop, error) {
	stopped := map[pieces.Key][]Stop{}
	codes := map[string]bool{}
	for _, p := range to.some {
		if p.Kind == book.Rules && p.Change != pieces.Gone {
			if r := to.Rule(p.Code); r != nil && r.Offer != nil {
				codes[r.Code] = true
			}
		}
	}
	if len(codes) == 0 {
		return stopped, nil
	}
	at := to.Moment(d.now())
	var groups []string
	for i := range to.Book.Groups {
		groups = append(groups, to.Book.Groups[i].Code)
	}
	found, err := flags.OffersStopping(to.Engine, flags.Question{From: at, To: at + telling.Ahead,
		Channels: []string{channel},
		Groups:   append([]string{""}, groups...)}, codes)
	if err != nil {
		return nil, err
	}
	for code, list := range found {
		for i := range list {
			if f := &list[i]; f.Channel == "" || f.Channel == channel {
				k := pieces.Key{Kind: book.Rules, Code: code}
				stopped[k] = append(stopped[k], stopOf(f))
			}
		}
	}
	return stopped, nil
}

// mostLater bounds how many later moments of a piece are told: the first of them.
const mostLater = 12

// planned is what pieces change later, found for one published and one saved book from a moment on.
type planned struct {
	published, saved int64
	kind             telling.ReferenceKind
	from             pricing.Moment
	of               [][]LaterLines
}

// laterOf is what each of the pieces that differ in a channel changes later, by its place.
func (d *Desk) laterOf(ctx context.Context, snap *book.Snapshot, channel string, e *Edition,
	at pricing.Moment) ([][]LaterLines, error) {
	now, err := d.Telling(ctx, snap, channel)
	if err != nil {
		return nil, err
	}
	d.mu.Lock()
	known := d.planned[channel]
	d.mu.Unlock()
	if known != nil && known.published == e.Snapshot.Version && known.saved == snap.Version && known.kind == now.Kind &&
		at >= known.from && at-known.from < pricing.Hour && !slices.ContainsFunc(known.of, func(l []LaterLines) bool {
		return len(l) > 0 && l[0].At <= at
	}) {
		return known.of, nil
	}
	before, err := d.Telling(ctx, e.Snapshot, channel)
	if err != nil {
		return nil, err
	}
	found := &planned{e.Snapshot.Version, snap.Version, now.Kind, at, make([][]LaterLines, len(e.Pieces))}
	reach := reachesOf(e.Pieces, e.Engine, snap.Engine)
	turning := map[pricing.Moment][]bool{}
	differ := map[pricing.Moment][]string{}
	err = telling.Between(before, now, false).Differing(at, func(m pricing.Moment, sku string, _, _ *telling.Figure) {
		if m == at {
			return // it differs now
		}
		turns := turning[m]
		if turns == nil {
			turns = make([]bool, len(e.Pieces))
			for i := range e.Pieces {
				turns[i] = turnsAt(e.Snapshot, &e.Pieces[i], m) || turnsAt(snap, &e.Pieces[i], m)
			}
			turning[m] = turns
		}
		places := reach.of(sku)
		if slices.ContainsFunc(places, func(i int) bool { return turns[i] }) {
			places = slices.DeleteFunc(places, func(i int) bool { return !turns[i] })
		}
		for _, i := range places {
			list := found.of[i]
			if n := len(list); n > 0 && list[n-1].At == m {
				list[n-1].Lines++
			} else if n < mostLater {
				found.of[i] = append(list, LaterLines{At: m, Lines: 1})
			} else {
				continue
			}
			if n := len(differ[m]); n == 0 || differ[m][n-1] != sku {
				differ[m] = append(differ[m], sku)
			}
		}
	})
	if err != nil {
		return nil, err
	}
	if err := d.judgeLater(ctx, snap, now, found, reach, differ); err != nil {
		return nil, err
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	d.planned[channel] = found
	return found.of, nil
}

// judgeLater finds which of the lines that pieces make others later are blocked then.
func (d *Desk) judgeLater(ctx context.Context, snap *book.Snapshot, now *telling.Telling, found *planned,
	reach *reaches, differ map[pricing.Moment][]string) error {
	for m, skus := range differ {
		then, err := d.ofSome(ctx, snap, now.Channel, m, now.Numbers(skus))
		if err != nil {
			return err
		}
		for i := range then.Rows {
			r := &then.Rows[i]
			if !r.Blocked() {
				continue
			}
			for _, place := range reach.of(r.SKU) {
				list := found.of[place]
				if at := slices.IndexFunc(list, func(l LaterLines) bool { return l.At == m }); at >= 0 {
					if list[at].Stopped == nil {
						list[at].Stopped = map[string][]Stop{}
					}
					list[at].Stopped[r.SKU] = r.Stops
				}
			}
		}
	}
	return nil
}

// turnsAt reports whether a piece of a book opens or closes at a moment: a rule with its campaign, or any rule that
// rests on it.
func turnsAt(snap *book.Snapshot, p *pieces.Piece, at pricing.Moment) bool {
	for i := range snap.Book.Rules {
		r := &snap.Book.Rules[i]
		rests := p.Kind == book.Rules && (r.Code == p.Code || r.Code == p.Was) ||
			p.Kind == book.Campaigns && (r.Campaign == p.Code || r.Campaign == p.Was)
		if !rests {
			continue
		}
		if _, flips := r.Window.Flips(at); flips {
			return true
		}
		for j := range snap.Book.Campaigns {
			if c := &snap.Book.Campaigns[j]; c.Code == r.Campaign {
				if _, flips := c.Window.Flips(at); flips {
					return true
				}
			}
		}
	}
	return false
}
