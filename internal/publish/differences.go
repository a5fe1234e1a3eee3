package publish

import (
	"cmp"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"slices"
	"sync"
	"time"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/publish/telling"
)

// Kind of a difference.
type Kind string

// The kinds.
const (
	New       Kind = "new"
	Up        Kind = "up"
	Down      Kind = "down"
	Reference Kind = "reference" // the price stays, the price it is shown as reduced from changes
	Details   Kind = "details"   // both stay, something else of the line changes: breaks, groups, texts, tags
	Again     Kind = "again"     // nothing changes, but nobody knows whether the channel shows it
	Gone      Kind = "gone"      // the channel shows a price and should show none
)

// Difference is one product whose line in a channel is not what the book says.
type Difference struct {
	SKU, Name             string
	Kind                  Kind
	Was, Price, Reference *money.Rat
	Line                  *telling.Line // nil: gone
	Digest                *telling.Digest
	Begun                 telling.Begun
	Product               int32      // -1: it is no longer in the book
	Margin                *money.Rat // net − fee − cost of the new price
	Gain                  *money.Rat // what a piece earns more than at the price that it shows
	Cost                  *money.Rat // on the price's footing
	Stops                 []Stop     // keep the line from being sent until they are overridden or it is left out
	Held                  bool       // it was taken back: nothing sends it until somebody releases it
	LeftOut               bool       // it is left out until it becomes another or somebody takes that back
	Behind                bool       // it was refused or left out before: it waits for a publication by hand
	Unanswered            bool       // nobody knows what the channel shows of it
	Rules                 []string

	open Open
}

// left digests what decides how long a line that is left out stays so: its prices for anybody, and what blocks it.
func (d *Difference) left() telling.Digest {
	var prices struct {
		Price  string
		Breaks []telling.LineBreak
		Method telling.Method
		Ask    bool
		Groups map[string]telling.GroupPrices
		Stops  []flags.Kind
	}
	if l := d.Line; l != nil {
		prices.Price, prices.Breaks, prices.Method, prices.Ask, prices.Groups = l.Price, l.Breaks, l.Method, l.Ask, l.Groups
	}
	for _, stop := range d.Stops {
		prices.Stops = append(prices.Stops, stop.Kind)
	}
	slices.Sort(prices.Stops)
	doc, err := json.Marshal(prices)
	if err != nil {
		panic(fmt.Sprintf("publish: write prices: %v", err)) // they are texts and numbers
	}
	sum := sha256.Sum256(doc)
	return telling.Digest(sum[:16])
}

// Differences are what a publication to a channel would change.
type Differences struct {
	Channel, Currency string
	Digits            int
	At                pricing.Moment
	Rows              []Difference // by SKU
	Same              int          // products that already show the right line
	Unpriced          int          // products in the book that have no price in this channel
	Rules             telling.RuleChanges

	lines *telling.Lines
	whole bool // all lines are told again
	// states are, by product, what the counts are made of.
	states []lineState
}

// lineState is how a product's line stands to what the channel shows.
type lineState uint8

const (
	unpriced lineState = iota // it has no line, and none is shown
	same
	differs
)

// count makes the counts.
func (d *Differences) count() {
	d.Same, d.Unpriced = 0, 0
	for _, s := range d.states {
		switch s {
		case same:
			d.Same++
		case unpriced:
			d.Unpriced++
		}
	}
}

// Compare holds what a channel shows against what the book says at a moment. With whole, all lines are told again.
// before is what there is to know of reductions, broken are SKUs whose pinned prices do not hold.
func Compare(t *telling.Telling, at pricing.Moment, k *Know, before *telling.Reductions, whole bool,
	broken map[string]bool) (*Differences, error) {
	lines, err := t.At(at, before)
	if err != nil {
		return nil, err
	}
	d := &Differences{Channel: t.Channel, Currency: lines.Currency, Digits: lines.Digits, At: at, lines: lines,
		whole: whole, Rules: telling.ChangesOf(k.Rules, t.Rules(at))}
	if whole {
		d.Rules = telling.ChangesOf(nil, t.Rules(at))
	}
	restated, err := restated(lines, k)
	if err != nil {
		return nil, err
	}
	d.states = make([]lineState, len(t.Engine.Products()))
	rows, err := d.look(t, k, func(sku string) bool { return whole || restated[sku] }, broken)
	if err != nil {
		return nil, err
	}
	d.Rows = rows
	d.gone(t, k)
	d.count()
	d.sort()
	return d, nil
}

// gone adds the products that left the book.
func (d *Differences) gone(t *telling.Telling, k *Know) {
	for sku, was := range k.Shown {
		if _, exists := t.Engine.ProductNumber(sku); !exists {
			price := was.Price
			row := Difference{SKU: sku, Kind: Gone, Was: &price, Product: -1, open: k.Open[sku]}
			row.stands(row.open)
			row.LeftOut = row.open.LeftOut && row.left() == row.open.Left
			d.Rows = append(d.Rows, row)
		}
	}
	for sku, open := range k.Open {
		_, exists := t.Engine.ProductNumber(sku)
		if _, shows := k.Shown[sku]; !shows && !exists && open.Unanswered {
			d.Rows = append(d.Rows, Difference{SKU: sku, Kind: Gone, Product: -1, Unanswered: true})
		}
	}
}

func (d *Differences) sort() {
	slices.SortFunc(d.Rows, func(a, b Difference) int { return cmp.Compare(a.SKU, b.SKU) })
}

// slim lets go of what is large: the lines themselves, which are built again when they are sent.
func (d *Differences) slim() {
	d.lines = nil
	for i := range d.Rows {
		d.Rows[i].Line = nil
	}
}

// look finds the rows of the products whose lines were priced, and notes how each stands.
func (d *Differences) look(t *telling.Telling, k *Know, again func(sku string) bool,
	broken map[string]bool) (rows []Difference, err error) {
	var mu sync.Mutex
	if d.whole || len(k.Shown) == 0 { // all of them: rows are large, and moved with each growth of the list
		rows = make([]Difference, 0, len(t.Engine.Products()))
	}
	d.lines.Each(func(p int32, told telling.Told, is bool) {
		sku := t.Engine.Products()[p].SKU
		was, shows := k.Shown[sku]
		digest := telling.Digest{}
		if is {
			digest = told.Digest()
		}
		open := k.Open[sku]
		switch {
		case is && shows && !open.Unanswered && !again(sku) && was.Says(&told, digest, d.Digits):
			d.states[p] = same
		case !is && !shows && !open.Unanswered:
			d.states[p] = unpriced
		default:
			d.states[p] = differs
			row := differenceOf(open, was, shows, told, is, digest, d.Digits)
			row.open = open
			row.SKU, row.Product, row.Name = sku, p, t.Engine.Products()[p].Name
			mu.Lock()
			defer mu.Unlock()
			rows = append(rows, row)
		}
	})
	if err := d.judge(t, rows, broken); err != nil {
		return nil, err
	}
	for i := range rows {
		if r := &rows[i]; r.open.LeftOut {
			r.LeftOut = r.left() == r.open.Left
		}
	}
	return rows, nil
}

// after are the differences after an edit, a publication, or a little later: of the products in some anew, of the
// others as they were. Of those, the channel shows what it showed; the products are numbered alike.
func (d *Differences) after(t *telling.Telling, at pricing.Moment, k *Know, before *telling.Reductions,
	broken map[string]bool, some pricing.Set) (*Differences, error) {
	lines, err := t.AtSome(at, before, some)
	if err != nil {
		return nil, err
	}
	next := &Differences{Channel: t.Channel, Currency: lines.Currency, Digits: lines.Digits, At: at, lines: lines,
		states: slices.Clone(d.states), Rules: telling.ChangesOf(k.Rules, t.Rules(at))}
	rows, err := next.look(t, k, func(string) bool { return false }, broken)
	if err != nil {
		return nil, err
	}
	for i := range d.Rows {
		if r := &d.Rows[i]; r.Product >= 0 && !some.Has(r.Product) {
			rows = append(rows, *r)
		}
	}
	next.Rows = rows
	next.gone(t, k)
	next.count()
	next.sort()
	return next, nil
}

// restated are products of which the channel was told a later line that is not what the book says of that time.
func restated(l *telling.Lines, k *Know) (map[string]bool, error) {
	restated := map[string]bool{}
	of := map[time.Time][]int32{}
	for sku, later := range k.Later {
		if p, exists := l.Telling.Engine.ProductNumber(sku); exists {
			of[later.From] = append(of[later.From], p)
		}
	}
	for from, products := range of {
		at := pricing.MomentOf(from.In(l.Telling.Zone))
		if at <= l.At {
			continue
		}
		then, err := l.Telling.AtSome(at, l.Before, l.Telling.Engine.SetOf(products))
		if err != nil {
			return nil, err
		}
		for _, p := range products {
			sku := l.Telling.Engine.Products()[p].SKU
			told, is := then.Of(p)
			later := k.Later[sku]
			if is != (later.Shown != nil) || is && (later.Digest == nil || told.Digest() != *later.Digest) {
				restated[sku] = true
			}
		}
	}
	return restated, nil
}

// differenceOf is how a product's line differs from what the channel took, if it does.
func differenceOf(open Open, was telling.Shown, shows bool, told telling.Told, is bool, digest telling.Digest,
	digits int) (row Difference) {
	if shows {
		row.Was = &was.Price
	}
	if !is {
		row.Kind = Gone
		row.stands(open)
		return row
	}
	price := money.FromMinor(told.Minor, digits)
	row.Price, row.Line, row.Digest, row.Begun = &price, &told.Line, &digest, told.Begun
	if told.Reference != "" {
		row.Reference = told.Begun.Reference
	}
	row.stands(open)
	for _, r := range told.Rules {
		row.Rules = append(row.Rules, r.Code)
	}
	row.Kind = kindOf(row.Was, row.Price)
	switch {
	case row.Kind != Details:
	case !telling.SameAmount(was.Reference, row.Reference):
		row.Kind = Reference
	case was.Digest != nil && *was.Digest == digest:
		row.Kind = Again
	}
	return row
}

// stands notes what is open about a row whose price is known.
func (d *Difference) stands(open Open) {
	d.Held, d.Behind, d.Unanswered = open.holds(d.Price), open.Behind, open.Unanswered
}

// untils says of rows how long they hold.
func (d *Differences) untils() error {
	var some []int32
	digests := map[int32]telling.Digest{}
	for i := range d.Rows {
		if r := &d.Rows[i]; r.Line != nil {
			some = append(some, r.Product)
			digests[r.Product] = *r.Digest
		}
	}
	if len(some) == 0 {
		return nil
	}
	of := d.lines.Telling
	untils, err := d.lines.Untils(of.Engine.SetOf(some), digests)
	if err != nil {
		return fmt.Errorf("look how long the lines of channel %q hold: %w", d.Channel, err)
	}
	for i := range d.Rows {
		r := &d.Rows[i]
		if until, ends := untils[r.Product]; ends && r.Line != nil {
			r.Line.Until = of.Instant(until)
		}
	}
	return nil
}
