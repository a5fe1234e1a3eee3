package telling

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
)

// Lines are what a channel is told of all its products at one moment, but for how long each holds (Until).
type Lines struct {
	At       pricing.Moment
	Currency string
	Digits   int

	Telling *Telling
	Single  []*pricing.Sweep         // of one piece, by place among groups
	rare    map[int][]*pricing.Sweep // by smallest order above 1, of the products that have it, by place among groups
	Steps   []quantityStep           // by place in of.thresholds
	Scope   *pricing.Scope
	buyers  []buyer // by place among groups
	Before  *Reductions
	some    pricing.Set // nil: all products
}

// quantityStep is what units cost from a threshold on, of the products whose prices it may move, by place among groups.
type quantityStep struct {
	threshold
	Sweeps []*pricing.Sweep
}

// Telling is how a channel is told the prices of one book: from which viewpoints they are asked, and what of them a
// line of that channel has.
type Telling struct {
	Channel string

	Engine     *pricing.Engine
	Baskets    *basket.Engine
	Entry      *pricing.Channel
	Kind       ReferenceKind
	Zone       *time.Location
	thresholds []threshold       // ascending
	ordered    bool              // some product may have a smallest order above 1
	Groups     []string          // codes, in the book's order; guests come before them
	buyer      pricing.Viewpoint // who is told; the zero value: the channel
}

// threshold is a quantity above 1 at which breaks of lines begin, or a price rule's least quantity, with the products
// of which a unit may cost otherwise than of the quantity asked before.
type threshold struct {
	From  int
	Moves pricing.Set
}

// Tell makes ready how a channel of a book is told. Its error is that there is no such channel.
func Tell(engine *pricing.Engine, baskets *basket.Engine, channel string, kind ReferenceKind) (*Telling, error) {
	book := engine.Book()
	i := slices.IndexFunc(book.Channels, func(c pricing.Channel) bool { return c.Code == channel })
	if i < 0 {
		return nil, fmt.Errorf("channel %q: %w", channel, ErrNoChannel)
	}
	zone, err := time.LoadLocation(book.Settings.TimeZone)
	if err != nil {
		return nil, fmt.Errorf("load the book's time zone: %w", err)
	}
	t := &Telling{Channel: channel, Engine: engine, Baskets: baskets, Entry: &book.Channels[i], Kind: kind, Zone: zone}
	if t.can("breaks") {
		t.thresholds = thresholds(engine)
	}
	t.ordered = slices.ContainsFunc(engine.Products(), func(p *pricing.Product) bool { return p.MinOrder > 1 })
	engine.Rules(func(_ int, r *pricing.Rule, _ pricing.Set) { t.ordered = t.ordered || r.Order != nil })
	if t.can("groups") {
		for j := range book.Groups {
			t.Groups = append(t.Groups, book.Groups[j].Code)
		}
	}
	return t, nil
}

// can reports whether the channel can be told something: "breaks", "brackets", "groups", "offers", "codes", "schedule".
func (t *Telling) can(what string) bool {
	if t.Entry.Can == nil {
		return what != "schedule"
	}
	return slices.Contains(t.Entry.Can, what)
}

// inLines reports whether lines say at which quantities the breaks of a rule begin: those that are counted in pieces of
// the goods that they reduce, whatever was bought before.
func inLines(r *pricing.Rule, counting pricing.Counting) bool {
	return counting.Measure == "quantity" && counting.Count != "where" && r.HistoryDays == 0
}

// thresholds are those of a book. What else makes the price of many units may move at each of them.
func thresholds(e *pricing.Engine) (list []threshold) {
	moves, always := map[int]pricing.Set{}, e.SetOf(nil) // always: that any of them may move
	e.Rules(func(ordinal int, r *pricing.Rule, _ pricing.Set) {
		if r.Offer != nil || r.Order != nil || r.Status == pricing.Off {
			return
		}
		reach := e.MayReach(ordinal)
		add := func(n int) {
			if n > 1 && n <= pricing.MaxQuantity {
				if moves[n] == nil {
					moves[n] = always
				}
				moves[n] = moves[n].Or(reach)
			}
		}
		add(r.MinQuantity)
		breaks, counting := e.Breaks(ordinal)
		for i := range breaks {
			if n, fits := breaks[i].From.Minor(0, money.Up); fits && inLines(r, counting) {
				add(int(n))
			}
		}
		if derives(r, breaks) || len(breaks) > 0 && !inLines(r, counting) {
			always = always.Or(reach)
		}
	})
	for _, from := range slices.Sorted(maps.Keys(moves)) {
		list = append(list, threshold{from, moves[from].Or(always)})
	}
	return list
}

// quantities are 1 and the thresholds.
func (t *Telling) Quantities() []int {
	list := []int{1}
	for _, at := range t.thresholds {
		list = append(list, at.From)
	}
	return list
}

// viewpoint is that of a guest, or of who is told.
func (t *Telling) Viewpoint(at pricing.Moment, quantity int) pricing.Viewpoint {
	vp := t.buyer
	vp.Channel, vp.At, vp.Quantity = t.Channel, at, quantity
	return vp
}

// viewpoints are those of guests and of each group.
func (t *Telling) viewpoints(at pricing.Moment, quantity int) []pricing.Viewpoint {
	vps := make([]pricing.Viewpoint, 1+len(t.Groups))
	for i := range vps {
		vps[i] = t.Viewpoint(at, quantity)
		if i > 0 {
			vps[i].Groups = []string{t.Groups[i-1]}
		}
	}
	return vps
}

// At prices all products at a moment. before is what there is to know of reductions; nil: none is under way.
func (t *Telling) At(at pricing.Moment, before *Reductions) (*Lines, error) {
	return t.AtSome(at, before, nil)
}

// AtSome prices some products alone; the lines are not to be asked for any other.
func (t *Telling) AtSome(at pricing.Moment, before *Reductions, some pricing.Set) (*Lines, error) {
	l, err := t.prices(at, before, some)
	if err != nil {
		return nil, err
	}
	return l, l.lookBack(some)
}

// prices is AtSome as far as prices alone are asked for; lookBack readies whole lines.
func (t *Telling) prices(at pricing.Moment, before *Reductions, some pricing.Set) (*Lines, error) {
	l := &Lines{At: at, Telling: t, Before: before, some: some}
	if err := l.ask(); err != nil {
		return nil, fmt.Errorf("price channel %q: %w", t.Channel, err)
	}
	l.Currency, l.Digits = l.Single[0].Currency, l.Single[0].Digits
	return l, nil
}

// ask prices each product by as many units as a line of it tells of.
func (l *Lines) ask() (err error) {
	t := l.Telling
	if l.Scope, err = t.Engine.Scope(pricing.Viewpoint{Channel: t.Channel, At: l.At, Quantity: 1}); err != nil {
		return err
	}
	l.buyers = make([]buyer, 1+len(t.Groups))
	if l.some == nil {
		l.Single, err = t.Engine.LastUnits(t.viewpoints(l.At, 1))
	} else {
		l.Single, err = l.priced(1, l.some)
	}
	for _, at := range t.thresholds {
		if l.some != nil {
			at.Moves = at.Moves.And(l.some)
		}
		step := quantityStep{threshold: at}
		if err == nil && at.Moves.Count() > 0 {
			step.Sweeps, err = l.priced(at.From, at.Moves)
			l.Steps = append(l.Steps, step)
		}
	}
	if !t.ordered {
		return err
	}
	having := map[int][]int32{}
	for p := range int32(len(t.Engine.Products())) {
		if l.some == nil || l.some.Has(p) {
			if least, _ := t.Baskets.Least(l.Scope, p); least > 1 && least <= pricing.MaxQuantity {
				having[least] = append(having[least], p)
			}
		}
	}
	l.rare = map[int][]*pricing.Sweep{}
	for least, products := range having {
		if err == nil {
			l.rare[least], err = l.priced(least, t.Engine.SetOf(products))
		}
	}
	return err
}

// priced are the last units of so many of some products, by place among groups.
func (l *Lines) priced(quantity int, some pricing.Set) (sweeps []*pricing.Sweep, err error) {
	for _, vp := range l.Telling.viewpoints(l.At, quantity) {
		sweep, err := l.Telling.Engine.LastUnitOf(vp, some)
		if err != nil {
			return nil, err
		}
		sweeps = append(sweeps, sweep)
	}
	return sweeps, nil
}

// orders are the prices of a product's smallest order, by place among groups; nil: nobody can order as many.
func (l *Lines) Orders(least int) []*pricing.Sweep {
	if least == 1 {
		return l.Single
	}
	return l.rare[least]
}

// price is what the last unit of a product's smallest order costs a guest, in minor units.
func (l *Lines) price(p int32) (int64, bool) {
	least, _ := l.Telling.Baskets.Least(l.Scope, p)
	if sweeps := l.Orders(least); sweeps != nil {
		return sweeps[0].Price(p)
	}
	return 0, false
}

// Told is a line with what is known of it beyond what the channel is told.
type Told struct {
	Line
	Minor   int64 // the price
	Begun   Begun // the reduction that is under way with it
	Rules   []*pricing.Rule
	Product int32
}

// Of is the line of a product; false where the channel lists none, or it has no price.
func (l *Lines) Of(p int32) (Told, bool) {
	t, product := l.Telling, l.Telling.Engine.Products()[p]
	least, multiple := t.Baskets.Least(l.Scope, p)
	sweeps := l.Orders(least)
	if sweeps == nil {
		return Told{}, false
	}
	minor, ok := sweeps[0].Price(p)
	if !ok {
		return Told{}, false
	}
	rules := sweeps[0].Rules(p)
	told := Told{Minor: minor, Rules: rules, Product: p, Line: Line{SKU: product.SKU, Name: product.Name,
		Price: money.FormatMinor(minor, l.Digits), Currency: l.Currency, Tax: "included"}}
	line := &told.Line
	if _, included := l.Scope.Tax(product.TaxClass); !included {
		line.Tax = "excluded"
	}
	if least > 1 || multiple > 1 {
		line.Order = &LineOrder{least, multiple}
	}
	line.Breaks, line.Method, line.Ask = l.course(p, 0, least, minor)
	for i, g := range t.Groups {
		price, priced := sweeps[i+1].Price(p)
		if !priced || !l.buyer(i+1).apart.Has(p) {
			continue
		}
		own := GroupPrices{Price: money.FormatMinor(price, l.Digits)}
		own.Breaks, own.Method, own.Ask = l.course(p, i+1, least, price)
		if price == minor && slices.Equal(own.Breaks, line.Breaks) && own.Method == line.Method && own.Ask == line.Ask {
			continue
		}
		if line.Groups == nil {
			line.Groups = map[string]GroupPrices{}
		}
		line.Groups[g] = own
	}
	if c := product.Content; c != nil && c.Amount.Sign() > 0 {
		each := money.FromMinor(minor, l.Digits).Div(c.Amount).Round(l.Digits, money.HalfUp)
		line.PerUnit = &PerUnit{each.Fixed(l.Digits), c.Of}
	}
	line.Tags = tagsOf(pricing.LiveTagsOf(rules))
	l.refer(&told)
	l.texts(line, rules)
	return told, true
}

// texts are those of the last applied rule that has some; as is said last, when it is known what the price is reduced
// from.
func (l *Lines) texts(line *Line, rules []*pricing.Rule) {
	line.As = "ordinary"
	for _, r := range rules {
		if r.Layer == pricing.Sale || r.Layer == pricing.Promotion {
			line.As = "reduced"
		}
	}
	for i := len(rules) - 1; i >= 0; i-- {
		if s := rules[i].Show; s != nil {
			line.Label, line.Message, line.Badge, line.Image, line.Alt, line.Terms = s.Label, s.Message, s.Badge, s.Image,
				s.Alt, s.Terms
			if s.As != "" {
				line.As = s.As
			}
			break
		}
	}
	if line.Reference == "" {
		line.As = "ordinary"
	}
}

// Each visits the lines of all products that were priced, several at once.
func (l *Lines) Each(visit func(p int32, told Told, is bool)) {
	pricing.InParallel(len(l.Telling.Engine.Products()), func(from, to int) {
		for p := int32(from); p < int32(to); p++ {
			if l.some == nil || l.some.Has(p) {
				told, is := l.Of(p)
				visit(p, told, is)
			}
		}
	})
}

// digests are those of the lines of some products, by their number; nil: it has no line.
func (l *Lines) digests(some pricing.Set) (map[int32]*Digest, error) {
	if err := l.lookBack(some); err != nil {
		return nil, err
	}
	products := make([]int32, 0, some.Count())
	some.Each(func(p int32) bool {
		products = append(products, p)
		return true
	})
	found := make([]*Digest, len(products))
	pricing.InParallel(len(products), func(from, to int) {
		for i := from; i < to; i++ {
			if told, is := l.Of(products[i]); is {
				digest := told.Digest()
				found[i] = &digest
			}
		}
	})
	digests := make(map[int32]*Digest, len(products))
	for i, p := range products {
		digests[p] = found[i]
	}
	return digests, nil
}

// Instant is a moment as channels are told it: with the book's offset from UTC.
func (t *Telling) Instant(at pricing.Moment) string {
	return at.Instant(t.Zone).Format("2006-01-02T15:04:05Z07:00")
}

// numbers are those of the products of some SKUs that are in the book.
func (t *Telling) Numbers(skus []string) (products []int32) {
	for _, sku := range skus {
		if p, exists := t.Engine.ProductNumber(sku); exists {
			products = append(products, p)
		}
	}
	return products
}

// ErrNoChannel says that a book has no such channel.
var ErrNoChannel = errors.New("there is no such channel")
