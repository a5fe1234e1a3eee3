package impact

import (
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Buyer is somebody whom an edit is about, and how many pieces are bought.
type Buyer struct {
	Who      string // group:CODE or customer:CODE; "" is a guest
	Quantity int
}

const mostBuyers = 4

// Buyers are those besides a guest with one piece to whom an edit may matter: who is meant by the rules that it changes
// (also by way of their ladder, campaign or range), at the first and the last break of them.
func Buyers(now, next *pricing.Book, changes []book.Change) []Buyer {
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
	for _, c := range changes {
		switch c.Kind {
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
