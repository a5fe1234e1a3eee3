package impact

import (
	"cmp"
	"slices"
	"strings"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Buyer is somebody whom an edit is about, and how many pieces are bought.
type Buyer struct {
	Who      string // group:CODE or customer:CODE; "" is a guest
	Quantity int
}

// meet moves a viewpoint to a buyer who meets the conditions of an audience, and notes whom that is and what is
// assumed.
func (out *Rule) meet(e *pricing.Engine, a *pricing.Audience, vp *pricing.Viewpoint) error {
	unmet, err := e.Unmet(*vp, a)
	if err == nil && slices.Contains(unmet, pricing.Unmet{Condition: pricing.ByWho}) {
		switch {
		case len(a.Groups) > 0:
			vp.Groups, vp.Customer, out.Who = a.Groups[:1], "", "group:"+a.Groups[0]
		case len(a.Customers) > 0:
			vp.Groups, vp.Customer, out.Who = nil, a.Customers[0], "customer:"+a.Customers[0]
		}
		unmet, err = e.Unmet(*vp, a) // of a customer more is known
	}
	if err != nil {
		return err
	}
	as, more := book.Assumed{}, false
	if out.As != nil {
		as = *out.As
	}
	for _, u := range unmet {
		switch values := a.CustomerAttr[u.Attr]; {
		case u.Condition == pricing.ByCountry && len(a.Countries) > 0:
			as.Country, more = a.Countries[0], true
		case u.Condition == pricing.ByFirstOrder:
			as.First, more = a.FirstOrder, true
		case u.Condition == pricing.BySignedIn:
			as.SignedIn, more = a.SignedIn, true
		case u.Condition == pricing.ByAttr && len(values) > 0:
			as.Attrs, more = book.With(as.Attrs, u.Attr, values[0]), true
		}
	}
	if more {
		as.Put(vp)
		out.As = &as
	}
	return nil
}

const mostBuyers = 12

// Buyers are those besides a guest with one piece to whom it may matter that one book takes the place of another: who
// is meant by the rules that differ (also by way of their ladder, campaign, range or price level), at the first and the
// last break of them; and every group, where the settings do.
func Buyers(now, next *pricing.Book) []Buyer {
	var list []Buyer
	add := func(who string, quantity int) {
		if b := (Buyer{who, quantity}); b != (Buyer{"", 1}) && !slices.Contains(list, b) && len(list) < mostBuyers {
			list = append(list, b)
		}
	}
	rule := func(b *pricing.Book, r *pricing.Rule) {
		quantities := []int{max(r.MinQuantity, 1)}
		breaks, counting := r.Breaks, r.Counting
		for _, l := range b.Ladders {
			if r.Ladder != "" && l.Code == r.Ladder {
				breaks, counting = l.Breaks, l.Counting
			}
		}
		if len(breaks) > 0 && counting.Measure == "quantity" {
			quantities = nil
			for _, step := range []pricing.Break{breaks[0], breaks[len(breaks)-1]} {
				if n, fits := step.From.Minor(0, money.Up); fits && n < 1_000_000 {
					quantities = append(quantities, max(int(n), r.MinQuantity, 1))
				}
			}
		}
		whos := []string{""}
		if a := r.Audience; a != nil && len(a.Groups) > 0 {
			whos = []string{"group:" + a.Groups[0]}
		} else if a != nil && len(a.Customers) > 0 {
			whos = []string{"customer:" + a.Customers[0]}
		}
		for _, who := range whos {
			for _, n := range quantities {
				add(who, n)
			}
		}
	}
	levels := changedLevels(now, next)
	for i := range next.Rules {
		if r := &next.Rules[i]; givesLevel(r, levels) {
			rule(next, r)
		}
	}
	small, smallNext := *now, *next
	small.Products, smallNext.Products = nil, nil
	for _, c := range book.Differences(&small, &smallNext) {
		switch c.Kind {
		case book.Settings:
			for _, g := range next.Groups {
				add("group:"+g.Code, 1)
			}
		case book.Customers:
			add("customer:"+c.Code, 1)
		case book.Groups:
			add("group:"+c.Code, 1)
		}
		for _, b := range []*pricing.Book{next, now} {
			for i := range b.Rules {
				r := &b.Rules[i]
				named := c.Kind == book.Rules && r.Code == c.Code || c.Kind == book.Ladders && r.Ladder == c.Code ||
					c.Kind == book.Campaigns && r.Campaign == c.Code || c.Kind == book.Ranges &&
					r.Where.Names(pricing.FieldRange, c.Code)
				if named && r.Offer == nil && r.Order == nil {
					rule(b, r)
				}
			}
		}
	}
	return list
}

// changedLevels are the price levels that some product of one of two books gains, loses or has otherwise.
func changedLevels(now, next *pricing.Book) map[string]bool {
	found := map[string]bool{}
	note := func(some, others map[string]money.Rat) {
		for level, price := range some {
			if other, has := others[level]; !has || !other.Equal(price) {
				found[level] = true
			}
		}
	}
	var was map[string]*pricing.Product // by SKU, once they stand in another order
	for i := range next.Products {
		p, old := next.Products[i], &pricing.Product{}
		if i < len(now.Products) && now.Products[i].SKU == p.SKU {
			old = now.Products[i]
		} else {
			if was == nil {
				was = map[string]*pricing.Product{}
				for k := range now.Products {
					was[now.Products[k].SKU] = now.Products[k]
				}
			}
			old = cmp.Or(was[p.SKU], old)
		}
		note(p.Levels, old.Levels)
		note(old.Levels, p.Levels)
	}
	return found
}

// givesLevel reports whether a rule gives one of some price levels, or reckons from it.
func givesLevel(r *pricing.Rule, levels map[string]bool) bool {
	if len(levels) == 0 || r.Offer != nil || r.Order != nil {
		return false
	}
	gives := func(e *pricing.Effect) bool { return e != nil && e.Kind == pricing.ToLevel && levels[e.Level] }
	basis, of := strings.CutPrefix(string(r.Of), "level:")
	return gives(r.Effect) || of && levels[basis] ||
		slices.ContainsFunc(r.Breaks, func(b pricing.Break) bool { return gives(&b.Effect) })
}
