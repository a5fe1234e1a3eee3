package publish

import (
	"fmt"
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

	of     *Telling
	sweeps []*pricing.Sweep         // by place in of.asks
	steps  []quantityStep           // by place in of.thresholds
	rare   map[int][]*pricing.Sweep // by smallest order that is not asked of all products: those that have it, by group
	scope  *pricing.Scope
	before *reductions
	some   pricing.Set // nil: all products
}

// Telling is how a channel is told the prices of one book: from which viewpoints they are asked, and what of them a
// line of that channel has.
type Telling struct {
	Channel string

	engine     *pricing.Engine
	baskets    *basket.Engine
	channel    *pricing.Channel
	kind       ReferenceKind
	zone       *time.Location
	asks       []ask
	base       map[int]int       // by quantity, where its asks begin
	thresholds []int             // ascending, above 1
	groups     []string          // codes, in the book's order
	buyer      pricing.Viewpoint // who is told; the zero value: the channel
}

// quantityStep is a quantity from which prices may be others, and what it costs, by group.
type quantityStep struct {
	from   int
	sweeps []*pricing.Sweep
}

// mostLeasts is for how many smallest orders all products are priced; where there are more, those alone that have it.
const mostLeasts = 6

// ask is a group, "" for guests, and a quantity.
type ask struct {
	group    string
	quantity int
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
	t := &Telling{Channel: channel, engine: engine, baskets: baskets, channel: &book.Channels[i], kind: kind, zone: zone}
	if t.can("breaks") {
		t.thresholds = thresholds(engine)
	}
	quantities := append([]int{1}, t.thresholds...)
	leasts := t.leasts()
	for _, least := range leasts { // whoever must order more than one is told the price of so many
		if len(leasts) <= mostLeasts && !slices.Contains(quantities, least) {
			quantities = append(quantities, least)
		}
	}
	slices.Sort(quantities)
	who := []string{""}
	if t.can("groups") {
		for j := range book.Groups {
			t.groups = append(t.groups, book.Groups[j].Code)
		}
		who = append(who, t.groups...)
	}
	t.base = map[int]int{}
	for _, q := range quantities {
		t.base[q] = len(t.asks)
		for _, g := range who {
			t.asks = append(t.asks, ask{g, q})
		}
	}
	return t, nil
}

// can reports whether the channel can be told something: "breaks", "groups", "offers", "codes", "schedule".
func (t *Telling) can(what string) bool {
	if t.channel.Can == nil {
		return what != "schedule"
	}
	return slices.Contains(t.channel.Can, what)
}

// thresholds are the quantities above 1 at which a break counted in pieces begins, or a price rule's least quantity.
func thresholds(e *pricing.Engine) (list []int) {
	add := func(n int) {
		if n > 1 && n <= pricing.MaxQuantity {
			list = append(list, n)
		}
	}
	e.Rules(func(ordinal int, r *pricing.Rule, _ pricing.Set) {
		if r.Offer != nil || r.Order != nil || r.Status == pricing.Off {
			return
		}
		add(r.MinQuantity)
		breaks, counting := e.Breaks(ordinal)
		if counting.Measure != "quantity" {
			return
		}
		for i := range breaks {
			if n, fits := breaks[i].From.Minor(0, money.Up); fits {
				add(int(n))
			}
		}
	})
	slices.Sort(list)
	return slices.Compact(list)
}

// leasts are the numbers above 1 that may be the smallest order of some product, at some moment.
func (t *Telling) leasts() (list []int) {
	for _, p := range t.engine.Products() {
		if p.MinOrder > 1 {
			list = append(list, p.MinOrder)
		}
	}
	t.engine.Rules(func(_ int, r *pricing.Rule, _ pricing.Set) {
		if r.Order != nil && r.Status != pricing.Off {
			list = append(list, r.Order.Min, r.Order.Multiple)
		}
	})
	slices.Sort(list)
	return slices.DeleteFunc(slices.Compact(list), func(n int) bool { return n < 2 })
}

// viewpoint is that of a guest, or of who is told.
func (t *Telling) viewpoint(at pricing.Moment, quantity int) pricing.Viewpoint {
	vp := t.buyer
	vp.Channel, vp.At, vp.Quantity = t.Channel, at, quantity
	return vp
}

func (t *Telling) viewpoints(at pricing.Moment) []pricing.Viewpoint {
	vps := make([]pricing.Viewpoint, len(t.asks))
	for i, a := range t.asks {
		vps[i] = t.asked(a, at)
	}
	return vps
}

func (t *Telling) asked(a ask, at pricing.Moment) pricing.Viewpoint {
	vp := t.viewpoint(at, a.quantity)
	if a.group != "" {
		vp.Groups = []string{a.group}
	}
	return vp
}

// At prices all products at a moment. before is what there is to know of reductions; nil: none is under way.
func (t *Telling) At(at pricing.Moment, before *reductions) (*Lines, error) {
	sweeps, err := t.engine.LastUnits(t.viewpoints(at))
	if err != nil {
		return nil, fmt.Errorf("price channel %q: %w", t.Channel, err)
	}
	return t.lines(at, sweeps, before, nil)
}

// AtSome prices some products alone; the lines are not to be asked for any other.
func (t *Telling) AtSome(at pricing.Moment, before *reductions, some pricing.Set) (*Lines, error) {
	sweeps := make([]*pricing.Sweep, len(t.asks))
	for i, vp := range t.viewpoints(at) {
		var err error
		if sweeps[i], err = t.engine.LastUnitOf(vp, some); err != nil {
			return nil, fmt.Errorf("price channel %q: %w", t.Channel, err)
		}
	}
	return t.lines(at, sweeps, before, some)
}

func (t *Telling) lines(at pricing.Moment, sweeps []*pricing.Sweep, before *reductions,
	some pricing.Set) (*Lines, error) {
	scope, err := t.engine.Scope(pricing.Viewpoint{Channel: t.Channel, At: at, Quantity: 1})
	if err != nil {
		return nil, fmt.Errorf("price channel %q: %w", t.Channel, err)
	}
	first := sweeps[0]
	l := &Lines{At: at, Currency: first.Currency, Digits: first.Digits, of: t, sweeps: sweeps, scope: scope, before: before,
		some: some}
	for _, from := range t.thresholds {
		l.steps = append(l.steps, quantityStep{from, sweeps[t.base[from]:][:1+len(t.groups)]})
	}
	if len(t.leasts()) > 0 {
		if err := l.priceRare(); err != nil {
			return nil, err
		}
	}
	return l, l.lookBack()
}

// priceRare prices products at a smallest order that few have.
func (l *Lines) priceRare() error {
	t, having := l.of, map[int][]int32{}
	for p := range int32(len(t.engine.Products())) {
		if l.some != nil && !l.some.Has(p) {
			continue
		}
		least, _ := t.baskets.Least(l.scope, p)
		if _, asked := t.base[least]; !asked && least <= pricing.MaxQuantity {
			having[least] = append(having[least], p)
		}
	}
	l.rare = map[int][]*pricing.Sweep{}
	for least, products := range having {
		some := t.engine.SetOf(products)
		for _, g := range append([]string{""}, t.groups...) {
			sweep, err := t.engine.LastUnitOf(t.asked(ask{g, least}, l.At), some)
			if err != nil {
				return fmt.Errorf("price channel %q by %d: %w", t.Channel, least, err)
			}
			l.rare[least] = append(l.rare[least], sweep)
		}
	}
	return nil
}

// at are the prices of so many units of a product for a group, by its place among groups from 1 on (0: a guest); nil:
// nobody can order as many.
func (l *Lines) at(group, quantity int) *pricing.Sweep {
	if base, asked := l.of.base[quantity]; asked {
		return l.sweeps[base+group]
	}
	if rare := l.rare[quantity]; rare != nil {
		return rare[group]
	}
	return nil
}

// price is that of the last of so many units for a group, in minor units.
func (l *Lines) price(p int32, group, quantity int) (int64, bool) {
	if sweep := l.at(group, quantity); sweep != nil {
		return sweep.Price(p)
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
	t, product := l.of, l.of.engine.Products()[p]
	least, multiple := t.baskets.Least(l.scope, p)
	minor, ok := l.price(p, 0, least)
	if !ok {
		return Told{}, false
	}
	rules := l.at(0, least).Rules(p)
	told := Told{Minor: minor, Rules: rules, Product: p, Line: Line{SKU: product.SKU, Name: product.Name,
		Price: money.FormatMinor(minor, l.Digits), Currency: l.Currency, Tax: "included"}}
	line := &told.Line
	if _, included := l.scope.Tax(product.TaxClass); !included {
		line.Tax = "excluded"
	}
	if least > 1 || multiple > 1 {
		line.Order = &LineOrder{least, multiple}
	}
	line.Breaks = l.breaks(p, 0, least, minor)
	for i, g := range t.groups {
		price, priced := l.price(p, i+1, least)
		if !priced {
			continue
		}
		breaks := l.breaks(p, i+1, least, price)
		if price == minor && slices.Equal(breaks, line.Breaks) {
			continue
		}
		if line.Groups == nil {
			line.Groups = map[string]GroupPrices{}
		}
		line.Groups[g] = GroupPrices{money.FormatMinor(price, l.Digits), breaks}
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

// breaks are the quantities above least from which a unit costs otherwise than from the one before; of least it costs
// price.
func (l *Lines) breaks(p int32, group, least int, price int64) (list []LineBreak) {
	for _, step := range l.steps {
		if step.from <= least {
			continue
		}
		minor, ok := step.sweeps[group].Price(p)
		if ok && minor != price {
			price = minor
			list = append(list, LineBreak{step.from, money.FormatMinor(minor, l.Digits)})
		}
	}
	return list
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
	pricing.InParallel(len(l.of.engine.Products()), func(from, to int) {
		for p := int32(from); p < int32(to); p++ {
			if l.some == nil || l.some.Has(p) {
				told, is := l.Of(p)
				visit(p, told, is)
			}
		}
	})
}

// digests are those of the lines of some products, by their number; nil: it has no line.
func (l *Lines) digests(some pricing.Set) map[int32]*Digest {
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
	return digests
}

// Instant is a moment as channels are told it: with the book's offset from UTC.
func (t *Telling) Instant(at pricing.Moment) string {
	return at.Instant(t.zone).Format("2006-01-02T15:04:05Z07:00")
}
