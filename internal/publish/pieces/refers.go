package pieces

import (
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
)

// refers are the pieces that a piece of a book names: those that have to be there for it to stand. people are groups,
// customers and channels that it names, as kinds and codes of package book.
type refers struct {
	pieces []Key
	people []Key
}

func (r *refers) where(w *pricing.Where) {
	if w == nil {
		return
	}
	if w.Field == pricing.FieldRange {
		for _, code := range w.Values {
			r.pieces = append(r.pieces, Key{book.Ranges, code})
		}
	}
	for i := range w.Parts {
		r.where(&w.Parts[i])
	}
}

func (r *refers) audience(a *pricing.Audience) {
	if a == nil {
		return
	}
	for _, code := range a.Groups {
		r.people = append(r.people, Key{book.Groups, code})
	}
	for _, code := range a.Customers {
		r.people = append(r.people, Key{book.Customers, code})
	}
}

func (r *refers) channels(codes []string) {
	for _, code := range codes {
		r.people = append(r.people, Key{book.Channels, code})
	}
}

func (r *refers) rule(u *pricing.Rule) {
	if u.Campaign != "" {
		r.pieces = append(r.pieces, Key{book.Campaigns, u.Campaign})
	}
	if u.Ladder != "" {
		r.pieces = append(r.pieces, Key{book.Ladders, u.Ladder})
	}
	r.where(&u.Where)
	r.where(u.Counting.Where)
	r.audience(u.Audience)
	r.channels(u.Channels)
	if o := u.Offer; o != nil {
		for i := range o.Needs {
			r.where(&o.Needs[i].Where)
		}
		for i := range o.Gives {
			r.where(o.Gives[i].Where)
		}
		if o.Spend != nil {
			r.where(&o.Spend.Where)
		}
		if o.After != nil {
			r.where(&o.After.Where)
		}
	}
}

func (r *refers) settings(s *pricing.Settings, key string) {
	if key == "guards" {
		for i := range s.Guards {
			r.where(s.Guards[i].Where)
		}
	}
	if key == "countries" {
		for _, c := range s.Countries {
			for class := range c.TaxRates {
				r.rate(class)
			}
		}
	}
	if key == "shippingTaxClass" && s.ShippingTaxClass != "" {
		r.rate(s.ShippingTaxClass)
	}
}

// rate notes that a tax class has to have a rate. Rates are one piece: which of them is told by its code.
func (r *refers) rate(class string) {
	r.pieces = append(r.pieces, Key{taxClass, class})
}

// taxClass is the kind of a key that names a tax class, which is a part of the piece "settings taxRates".
const taxClass = "taxClass"

// refersTo is what a piece of a book names.
func refersTo(b *index, k Key) (r refers) {
	switch k.Kind {
	case book.Rules:
		if u := b.rules[k.Code]; u != nil {
			r.rule(u)
		}
	case book.Campaigns:
		if c := b.campaigns[k.Code]; c != nil {
			r.audience(c.Audience)
			r.channels(c.Channels)
		}
	case book.Ladders:
		if l := b.ladders[k.Code]; l != nil {
			r.where(l.Counting.Where)
		}
	case book.Ranges:
		if g := b.ranges[k.Code]; g != nil {
			r.where(&g.Where)
		}
	case book.Channels:
		if c := b.channels[k.Code]; c != nil {
			r.where(c.Where)
			if c.Group != "" {
				r.people = append(r.people, Key{book.Groups, c.Group})
			}
		}
	case book.Settings:
		r.settings(&b.Settings, k.Code)
	case book.Products:
		if p := b.product(k.Code); p != nil && p.TaxClass != "" {
			r.rate(p.TaxClass)
		}
	}
	return r
}

// index finds the pieces of a book.
type index struct {
	*pricing.Book
	rules     map[string]*pricing.Rule
	campaigns map[string]*pricing.Campaign
	ladders   map[string]*pricing.Ladder
	ranges    map[string]*pricing.Range
	channels  map[string]*pricing.Channel
	goods     map[string]*pricing.Product // made when first asked for
}

func by[T any](list []T, code func(*T) string) map[string]*T {
	m := make(map[string]*T, len(list))
	for i := range list {
		m[code(&list[i])] = &list[i]
	}
	return m
}

func indexOf(b *pricing.Book) *index {
	return &index{Book: b, rules: by(b.Rules, func(r *pricing.Rule) string { return r.Code }),
		campaigns: by(b.Campaigns, func(c *pricing.Campaign) string { return c.Code }),
		ladders:   by(b.Ladders, func(l *pricing.Ladder) string { return l.Code }),
		ranges:    by(b.Ranges, func(r *pricing.Range) string { return r.Code }),
		channels:  by(b.Channels, func(c *pricing.Channel) string { return c.Code })}
}

func (x *index) product(sku string) *pricing.Product {
	if x.goods == nil {
		x.goods = make(map[string]*pricing.Product, len(x.Products))
		for _, p := range x.Products {
			x.goods[p.SKU] = p
		}
	}
	return x.goods[sku]
}

// has reports whether a piece, or a tax class with a rate, is there.
func (x *index) has(k Key) (is bool) {
	switch k.Kind {
	case book.Rules:
		is = x.rules[k.Code] != nil
	case book.Campaigns:
		is = x.campaigns[k.Code] != nil
	case book.Ladders:
		is = x.ladders[k.Code] != nil
	case book.Ranges:
		is = x.ranges[k.Code] != nil
	case book.Channels:
		is = x.channels[k.Code] != nil
	case book.Products:
		is = x.product(k.Code) != nil
	case taxClass:
		_, is = x.Settings.TaxRates[k.Code]
	case book.Settings:
		is = settingsOf(x.Book)[k.Code] != nil
	}
	return is
}

// lacking finds what pieces of a saved book refer to and a published one lacks.
type lacking struct {
	published *index
	saved     *pricing.Book
	known     *index
}

// with are the pieces that come along with one, what they refer to included.
func (l *lacking) with(k Key) (list []Key) {
	if l.known == nil {
		l.known = indexOf(l.saved)
	}
	todo := []Key{k}
	for len(todo) > 0 {
		next := todo[0]
		todo = todo[1:]
		for _, one := range refersTo(l.known, next).pieces {
			if l.published.has(one) {
				continue
			}
			if one.Kind == taxClass {
				one = Key{book.Settings, "taxRates"}
			}
			if one != k && !slices.Contains(list, one) {
				list, todo = append(list, one), append(todo, one)
			}
		}
	}
	return list
}

// Dangling says that a piece cannot go, or change, as another that stays needs it.
type Dangling struct {
	Needed Key
	By     Key
}

func (d *Dangling) Error() string {
	return "The " + d.By.String() + " stays and needs the " + d.Needed.String() + ". Send both, or neither."
}

// stands fails where a piece that some book has needs one that it lacks.
func stands(b *pricing.Book) error {
	x := indexOf(b)
	check := func(k Key) error {
		for _, needed := range refersTo(x, k).pieces {
			if !x.has(needed) {
				if needed.Kind == taxClass {
					needed = Key{book.Settings, "taxRates"}
				}
				return &Dangling{needed, k}
			}
		}
		return nil
	}
	for _, r := range b.Rules {
		if err := check(Key{book.Rules, r.Code}); err != nil {
			return err
		}
	}
	for _, r := range b.Ranges {
		if err := check(Key{book.Ranges, r.Code}); err != nil {
			return err
		}
	}
	for _, l := range b.Ladders {
		if err := check(Key{book.Ladders, l.Code}); err != nil {
			return err
		}
	}
	for _, c := range b.Channels {
		if err := check(Key{book.Channels, c.Code}); err != nil {
			return err
		}
	}
	for _, key := range []string{"guards", "countries", "shippingTaxClass"} {
		if err := check(Key{book.Settings, key}); err != nil {
			return err
		}
	}
	for i := range b.Products {
		if class := b.Products[i].TaxClass; class != "" {
			if _, rated := b.Settings.TaxRates[class]; !rated {
				return &Dangling{Key{book.Settings, "taxRates"}, Key{book.Products, b.Products[i].SKU}}
			}
		}
	}
	return nil
}

// NamesRange reports whether a rule of a book selects by a range, by way of other ranges or not.
func NamesRange(b *pricing.Book, r *pricing.Rule, code string) bool {
	var names refers
	names.rule(r)
	for i := range b.Ladders {
		if b.Ladders[i].Code == r.Ladder {
			names.where(b.Ladders[i].Counting.Where)
		}
	}
	return names.reachesRange(b, code)
}

// GuardsNameRange reports whether a range decides which guard holds for a product, or what a channel lists.
func GuardsNameRange(b *pricing.Book, code string) bool {
	var names refers
	names.settings(&b.Settings, "guards")
	for i := range b.Channels {
		names.where(b.Channels[i].Where)
	}
	return names.reachesRange(b, code)
}

// reachesRange reports whether a range is among what is named, or among what that names.
func (r *refers) reachesRange(b *pricing.Book, code string) bool {
	seen := map[string]bool{}
	for i := 0; i < len(r.pieces); i++ {
		k := r.pieces[i]
		if k.Kind != book.Ranges || seen[k.Code] {
			continue
		}
		if k.Code == code {
			return true
		}
		seen[k.Code] = true
		for j := range b.Ranges {
			if b.Ranges[j].Code == k.Code {
				r.where(&b.Ranges[j].Where)
			}
		}
	}
	return false
}
