package timeline

import (
	"cmp"
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

const (
	ahead          = 90 * pricing.Day
	outlookChanges = 120
)

// Outlook is one product's price seen from elsewhere: for every group and quantity, and over the time ahead.
type Outlook struct {
	Currency string
	Digits   int
	Rows     []Row
	Over     []PriceFrom // the price from each moment on at which it changes
	To       pricing.Moment
	Rules    []*pricing.Rule // those whose selection holds the product
}

// Row is the unit prices of one group by quantity; nil where there is none.
type Row struct {
	Group, Customer string // both empty: everyone
	Name            string
	Prices          []*money.Rat
}

// OutlookOf looks at a product's price from a viewpoint, for a guest, each group and the viewpoint's customer at the
// quantities given. Its errors are pricing.QuestionErrors.
func OutlookOf(e *pricing.Engine, vp pricing.Viewpoint, sku string, quantities []int) (Outlook, error) {
	b := e.Book()
	out := Outlook{To: vp.At + ahead}
	rows := []Row{{Name: "everyone"}}
	for _, g := range b.Groups {
		rows = append(rows, Row{Group: g.Code, Name: cmp.Or(g.Name, g.Code)})
	}
	if vp.Customer != "" {
		row := Row{Customer: vp.Customer, Name: vp.Customer}
		if i := slices.IndexFunc(b.Customers, func(c pricing.Customer) bool { return c.Code == vp.Customer }); i >= 0 {
			row.Name = cmp.Or(b.Customers[i].Name, row.Name)
		}
		rows = append(rows, row)
	}
	for _, r := range rows {
		for _, n := range quantities {
			one := vp.Guest()
			one.Quantity = n
			if r.Group != "" {
				one.Groups = []string{r.Group}
			}
			if r.Customer != "" {
				one.Customer, one.FirstOrder, one.History = r.Customer, vp.FirstOrder, vp.History
			}
			a, err := e.Price(pricing.Question{Viewpoint: one, SKU: sku})
			if err != nil {
				return out, err
			}
			r.Prices = append(r.Prices, a.Unit)
		}
		out.Rows = append(out.Rows, r)
	}
	c := Course{}
	over, err := c.plan(e, vp, sku, vp.At, out.To, outlookChanges)
	if err != nil {
		return out, err
	}
	out.Over, out.Currency, out.Digits = over, c.Currency, c.Digits
	if number, exists := e.ProductNumber(sku); exists {
		for i := range b.Rules {
			if r := &b.Rules[i]; e.At(vp.At).Match(&r.Where).Has(number) {
				out.Rules = append(out.Rules, r)
			}
		}
	}
	return out, nil
}
