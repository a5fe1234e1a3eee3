package pricingtest

import (
	"fmt"
	"math/rand/v2"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
)

// AddOffers puts n random offers, of every form, into a book of Book.
func AddOffers(rng *rand.Rand, b *pricing.Book, n int) {
	g := &generator{rng}
	for i := range n {
		r := pricing.Rule{Code: fmt.Sprintf("F%02d", i), Layer: pricing.Promotion, Rank: 1 + g.IntN(6), Status: pricing.On,
			MinQuantity: 1,
			HireMatch:   "days", Where: g.wide(), Counting: pricing.DefaultCounting(), Offer: g.offer(i)}
		if g.chance(8) {
			r.Then = pricing.EndLayer
		}
		if g.chance(6) {
			r.Window = g.window()
		}
		if g.chance(8) {
			r.Audience = g.audience()
		}
		b.Rules = append(b.Rules, r)
	}
}

// wide holds many products, so that offers meet.
func (g *generator) wide() pricing.Where {
	if g.chance(2) {
		return pricing.Where{Field: pricing.FieldAll, Parts: []pricing.Where{}}
	}
	return pricing.Where{Field: pricing.FieldNot, Parts: []pricing.Where{g.where(0, false)}}
}

func (g *generator) offer(i int) *pricing.Offer {
	o := &pricing.Offer{SkipReduced: g.chance(6)}
	for _, id := range []string{"a", "b"}[:g.IntN(3)] {
		o.Needs = append(o.Needs, pricing.Need{ID: id, Where: g.wide(), Quantity: 1 + g.IntN(3),
			Same: g.one("", "", "", "sku", "style")})
	}
	if g.chance(3) {
		o.Spend = &pricing.Spend{Where: g.wide(), Amount: g.amount(120, 2).Add(money.Int(1)), Every: g.chance(2)}
	}
	if g.chance(9) {
		o.After = &pricing.After{Where: g.wide(), Days: 1 + g.IntN(40)}
	}
	if g.chance(5) {
		uses := 1 + g.IntN(3)
		o.Codes = &pricing.Codes{Words: []string{fmt.Sprintf("WORD-%d", i)}, Uses: &uses}
		if g.chance(2) {
			o.Codes.UsesPerCustomer, o.Codes.GraceDays = new(1), new(g.IntN(400))
		}
	}
	if g.chance(3) {
		o.Repeat = 1 + g.IntN(3)
	}
	if g.chance(4) {
		o.MaxOff = g.amountPtr(40, 2)
	}
	if g.chance(6) {
		stock := 1 + g.IntN(4)
		o.Stock = &stock
	}
	if g.chance(8) {
		o.PerCustomer = new(1 + g.IntN(3))
	}
	toUnits := true
	for range 1 + g.IntN(2) {
		gave := pricing.Give{To: g.one("basket", "shipping")}
		switch {
		case len(o.Needs) > 0 && g.chance(2):
			n := o.Needs[g.IntN(len(o.Needs))]
			gave.To, gave.Units = n.ID, 1+g.IntN(n.Quantity)
			if n.Same == "" && g.chance(4) {
				gave.Pick = "in-turn"
			}
		case len(o.Needs) > 0 && g.chance(2):
			gave.To = "needs"
		case g.chance(2):
			w := g.wide()
			gave.To, gave.Where, gave.Units = "", &w, []int{1, 2, pricing.AllUnits}[g.IntN(3)]
		}
		if gave.Pick == "" && g.chance(2) {
			gave.Pick = g.one("cheapest", "dearest")
		}
		toUnits = toUnits && gave.Units != 0
		switch g.IntN(4) {
		case 0:
			gave.AmountOff = g.amountPtr(15, 2)
		case 1:
			gave.Each = g.amountPtr(30, 2)
		default:
			gave.PercentOff = g.amountPtr(100, 1)
			if g.chance(4) {
				gave.Of = []pricing.Basis{pricing.OfList, pricing.OfCatalog}[g.IntN(2)]
			}
		}
		o.Gives = append(o.Gives, gave)
	}
	if toUnits && g.chance(4) {
		o.MaxUnits = 1 + g.IntN(5)
	}
	if len(o.Needs) > 0 && g.chance(6) {
		o.Gives, o.MaxUnits = []pricing.Give{{To: "needs", ForTotal: g.amountPtr(60, 2)}}, 0
	}
	return o
}

// Basket makes a random basket about a book of Book with offers.
func Basket(rng *rand.Rand, b *pricing.Book) basket.Question {
	g := &generator{rng}
	q := basket.Question{Viewpoint: Viewpoint(rng, b)}
	for range 1 + g.IntN(5) {
		p := b.Products[g.IntN(len(b.Products))]
		l := pricing.Line{SKU: p.SKU, Quantity: 1 + g.IntN(5)}
		if g.chance(3) {
			l.Term = 1 + g.IntN(12)
		}
		for _, o := range p.Options {
			if g.chance(3) {
				l.Options = append(l.Options, o.Code)
			}
		}
		q.Lines = append(q.Lines, l)
	}
	for i := range 3 {
		if g.chance(2) {
			q.Codes = append(q.Codes, fmt.Sprintf("WORD-%d", i))
		}
	}
	if g.chance(2) {
		q.Shipping = g.amountPtr(20, 2)
	}
	q.Used = map[string]basket.Used{}
	for i := range 6 {
		if g.chance(4) {
			q.Used[fmt.Sprintf("F%02d", i)] = basket.Used{Uses: basket.Uses{Total: g.IntN(3), Customer: g.IntN(2)},
				Codes: map[string]basket.Uses{fmt.Sprintf("WORD-%d", i): {Total: g.IntN(3), Customer: g.IntN(2)}}}
		}
	}
	return q
}
