package flags

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"dogbane/internal/pricing"
)

// asked is a question made ready: what of the book it is about, cut into what rules can tell apart.
type asked struct {
	Question
	engine     *pricing.Engine
	book       *pricing.Book
	live       map[int]bool // by ordinal: rules that are on, with their campaigns
	rules      map[int]*pricing.Rule
	ordinals   int     // all lie below
	steps      []steps // of price rules, by ordinal
	order      []int   // price rules that are live and open at some asked moment, in the order in which prices meet them
	moments    []pricing.Moment
	begins     []pricing.Moment   // within the span, at which later figures of some product begin to hold
	open       map[int]bits       // by ordinal: at which of the moments a live rule is open; nil: at all
	channels   []string           // "": no channel
	settings   []*pricing.Channel // of channels; nil: no channel
	audiences  []pricing.Viewpoint
	guest      int // its place in audiences; -1: guests are not asked for
	customers  map[string]int32
	classes    [][]int32 // customers whom no audience tells apart unless it names them, by their places in the book
	quantities []int
}

// bits is a set of small numbers.
type bits []uint64

func newBits(n int) bits       { return make(bits, (n+63)/64) }
func (b bits) has(i int) bool  { return b[i>>6]>>(i&63)&1 == 1 }
func (b bits) add(i int)       { b[i>>6] |= 1 << (i & 63) }
func (b bits) and(c bits) bits { return b.with(c, func(x, y uint64) uint64 { return x & y }) }

func (b bits) with(c bits, op func(x, y uint64) uint64) bits {
	out := make(bits, len(b))
	for i := range b {
		out[i] = op(b[i], c[i])
	}
	return out
}

// setKey is the same for equal sets of numbers from equal ranges.
type setKey struct {
	first [4]uint64
	rest  string
}

func (b bits) key() (k setKey) {
	n := copy(k.first[:], b)
	if n < len(b) {
		k.rest = fmt.Sprint(b[n:])
	}
	return k
}

func (b bits) empty() bool { return !slices.ContainsFunc(b, func(w uint64) bool { return w != 0 }) }

// ask makes a question ready.
func ask(e *pricing.Engine, q Question) (*asked, error) {
	if q.To <= q.From {
		return nil, fmt.Errorf("to: the span ends where or before it starts")
	}
	a := &asked{Question: q, engine: e, book: e.Book(), live: map[int]bool{}, rules: map[int]*pricing.Rule{},
		open: map[int]bits{}, guest: -1, channels: q.Channels, quantities: q.Quantities}
	on := func(s pricing.Status, code string) bool { return s == pricing.On || slices.Contains(q.With, code) }
	e.Rules(func(ordinal int, r *pricing.Rule, _ pricing.Set) {
		c := e.Campaign(ordinal)
		a.rules[ordinal], a.ordinals = r, max(a.ordinals, ordinal+1)
		a.live[ordinal] = on(r.Status, r.Code) && (c == nil || on(c.Status, c.Code))
	})
	if err := a.cutTime(); err != nil {
		return nil, err
	}
	for _, ordinal := range e.PriceRules() {
		if a.live[ordinal] && (a.open[ordinal] == nil || !a.open[ordinal].empty()) {
			a.order = append(a.order, ordinal)
		}
	}
	if a.channels == nil {
		a.channels = []string{""}
		for i := range a.book.Channels {
			a.channels = append(a.channels, a.book.Channels[i].Code)
		}
	}
	for _, code := range a.channels {
		at := slices.IndexFunc(a.book.Channels, func(c pricing.Channel) bool { return c.Code == code })
		if at < 0 {
			a.settings = append(a.settings, nil)
		} else {
			a.settings = append(a.settings, &a.book.Channels[at])
		}
	}
	if a.quantities == nil {
		a.quantities = a.book.Quantities()
	}
	a.quantities = slices.Compact(slices.Sorted(slices.Values(a.quantities)))
	if len(a.quantities) == 0 {
		a.quantities = []int{1}
	}
	a.steps = make([]steps, a.ordinals)
	for _, ordinal := range a.order {
		a.steps[ordinal] = a.stepsOf(ordinal)
	}
	a.who()
	return a, nil
}

// cutTime cuts the span at every moment at which a live rule or its campaign opens or closes. Wall times that the clock
// skips are none of its moments.
func (a *asked) cutTime() error {
	zone, err := time.LoadLocation(a.book.Settings.TimeZone)
	if err != nil {
		return fmt.Errorf("load the book's time zone: %w", err)
	}
	windows := map[int][]*pricing.Window{}
	cuts := []pricing.Moment{a.From}
	for ordinal, live := range a.live {
		if !live {
			continue
		}
		list := []*pricing.Window{a.rules[ordinal].Window}
		if c := a.engine.Campaign(ordinal); c != nil {
			list = append(list, c.Window)
		}
		list = slices.DeleteFunc(list, func(w *pricing.Window) bool { return w == nil })
		if len(list) == 0 {
			continue
		}
		windows[ordinal] = list
		for _, w := range list {
			open := w.Open(a.From)
			for at, more := w.Next(a.From); more && at < a.To; at, more = w.Next(at) {
				if now := w.Open(at); now != open {
					cuts, open = append(cuts, at), now
				}
			}
		}
	}
	a.begins = slices.DeleteFunc(slices.Clone(a.engine.Begins()), func(at pricing.Moment) bool {
		return at <= a.From || at >= a.To
	})
	cuts = append(cuts, a.begins...)
	slices.Sort(cuts)
	cuts = slices.Compact(cuts)
	for i, at := range cuts {
		end := a.To
		if i+1 < len(cuts) {
			end = cuts[i+1]
		}
		if at = afterGap(at, zone); at < end {
			a.moments = append(a.moments, at)
		}
	}
	for ordinal, list := range windows {
		open := newBits(len(a.moments))
		for i, at := range a.moments {
			if !slices.ContainsFunc(list, func(w *pricing.Window) bool { return !w.Open(at) }) {
				open.add(i)
			}
		}
		a.open[ordinal] = open
	}
	return nil
}

// eras are moments of the span between which figures change: of each the first.
func (a *asked) eras() []pricing.Moment { return append([]pricing.Moment{a.From}, a.begins...) }

// beginsOf are the moments within the span at which later figures of some products begin to hold, ascending.
func (a *asked) beginsOf(products ...int32) (begins []pricing.Moment) {
	if len(a.begins) == 0 {
		return nil
	}
	for _, p := range products {
		for _, f := range a.engine.Products()[p].Later {
			if f.From > a.From && f.From < a.To {
				begins = append(begins, f.From)
			}
		}
	}
	slices.Sort(begins)
	return slices.Compact(begins)
}

// matches are the products that a condition selects at some moment of the span.
func (a *asked) matches(w *pricing.Where) pricing.Set {
	all := a.engine.At(a.From).Match(w)
	for _, at := range a.begins {
		all = all.Or(a.engine.At(at).Match(w))
	}
	return all
}

// afterGap is the first moment from at on that clocks in zone show.
func afterGap(at pricing.Moment, zone *time.Location) pricing.Moment {
	instant := at.Instant(zone)
	if pricing.MomentOf(instant) == at {
		return at
	}
	start, _ := instant.ZoneBounds()
	return pricing.MomentOf(start)
}

// who lists those who are asked for: a guest, each group alone, and customers by classes.
func (a *asked) who() {
	if a.Groups != nil {
		for i, g := range a.Groups {
			if g == "" {
				a.guest = i
				a.audiences = append(a.audiences, pricing.Viewpoint{})
				continue
			}
			a.audiences = append(a.audiences, pricing.Viewpoint{Groups: []string{g}})
		}
		return
	}
	a.guest, a.audiences = 0, []pricing.Viewpoint{{}}
	for i := range a.book.Groups {
		a.audiences = append(a.audiences, pricing.Viewpoint{Groups: []string{a.book.Groups[i].Code}})
	}
	t := &told{groups: map[string]bool{}, attrs: map[string]map[string]bool{}}
	for ordinal, live := range a.live {
		if !live {
			continue
		}
		t.read(a.rules[ordinal].Audience)
		if c := a.engine.Campaign(ordinal); c != nil {
			t.read(c.Audience)
		}
	}
	at := map[string]int{}
	a.customers = map[string]int32{}
	for i := range a.book.Customers {
		a.customers[a.book.Customers[i].Code] = int32(i)
		class := t.class(&a.book.Customers[i])
		k, known := at[class]
		if !known {
			k = len(a.classes)
			at[class] = k
			a.classes = append(a.classes, nil)
		}
		a.classes[k] = append(a.classes[k], int32(i))
	}
}

// channelOf is a channel by its place; nil: no channel.
func (a *asked) channelOf(place int) *pricing.Channel { return a.settings[place] }

// viewpoint is an audience by its number: one of audiences, or beyond them a customer of the book; -1: a guest.
func (a *asked) viewpoint(who int32) pricing.Viewpoint {
	if who < 0 {
		return pricing.Viewpoint{}
	}
	if int(who) < len(a.audiences) {
		return a.audiences[who]
	}
	return pricing.Viewpoint{Customer: a.book.Customers[int(who)-len(a.audiences)].Code}
}

// told is what the audiences of a book look at in a customer whom they do not name.
type told struct {
	groups map[string]bool
	attrs  map[string]map[string]bool // values by name
}

func (t *told) read(a *pricing.Audience) {
	if a == nil {
		return
	}
	for _, g := range a.Groups {
		t.groups[g] = true
	}
	for name, values := range a.CustomerAttr {
		if t.attrs[name] == nil {
			t.attrs[name] = map[string]bool{}
		}
		for _, v := range values {
			t.attrs[name][v] = true
		}
	}
}

// class is a text that is the same for customers whom no audience tells apart, unless one names them.
func (t *told) class(c *pricing.Customer) string {
	var parts []string
	groups := slices.DeleteFunc(slices.Clone(c.Groups), func(g string) bool { return !t.groups[g] })
	slices.Sort(groups)
	for _, g := range slices.Compact(groups) {
		parts = append(parts, "group", g)
	}
	for _, name := range slices.Sorted(maps.Keys(c.Attrs)) {
		if value := c.Attrs[name]; t.attrs[name][value] {
			parts = append(parts, "attr", name, value)
		}
	}
	return strings.Join(parts, "\x00") // no code holds it; an attribute that does is told apart too finely at worst
}
