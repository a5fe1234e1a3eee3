package intake

import (
	"fmt"
	"maps"
	"sync"

	"dogbane/internal/agreed"
	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Plan is what importing a file does: changes of the book, and what is kept beside it.
type Plan struct {
	summary  string
	products []RowChange // of products; written as changes only when they are wanted
	changes  []book.Change
	sales    []SoldLine
	rateDays []RateDay
	written  sync.Once
}

// write makes changes of the products that a file makes or changes, once, on all cores.
func (p *Plan) write() []book.Change {
	p.written.Do(func() {
		if len(p.products) == 0 {
			return
		}
		p.changes = make([]book.Change, len(p.products))
		pricing.InParallel(len(p.changes), func(from, to int) {
			for i := from; i < to; i++ {
				c := &p.products[i]
				p.changes[i] = book.OfProduct(c.Before, &c.After)
			}
		})
	})
	return p.changes
}

// Book is the book that the plan leads to. Products are taken as they were read from the file.
func (p *Plan) Book(now *pricing.Book) (*pricing.Book, error) {
	if len(p.products) == 0 {
		return book.Apply(now, p.changes)
	}
	list := make([]pricing.Product, len(p.products))
	for i := range p.products {
		list[i] = p.products[i].After
	}
	return book.WithProducts(now, list), nil
}

func (i *Imports) planProducts(snap *book.Snapshot, file *waitingFile, p *Plan, out *Preview) ([]BadCell, error) {
	compared, err := Compare(file.table, out.Mapping, snap.Book, snap.Moment(i.clocks.Book()))
	if err != nil {
		return nil, err
	}
	out.New, out.Unchanged = compared.New(), compared.Unchanged
	out.Changed = len(compared.Changes) - out.New
	out.Changes = append(out.Changes, compared.Changes[:min(len(compared.Changes), previewRows)]...)
	p.summary = fmt.Sprintf("Imported %s: %d new, %d changed products", out.File, out.New, out.Changed)
	p.products = compared.Changes
	return compared.Bad, nil
}

func amountText(a *money.Rat) string {
	if a == nil {
		return ""
	}
	return bookfile.Amount(*a)
}

func (i *Imports) planRates(snap *book.Snapshot, file *waitingFile, p *Plan, out *Preview) ([]BadCell, error) {
	rates, bad, err := ReadRates(file.table, out.Mapping, i.today(snap))
	if err != nil || len(bad) > 0 {
		return bad, err
	}
	next := snap.Book.Settings
	next.Rates = maps.Clone(next.Rates)
	if next.Rates == nil {
		next.Rates = map[string]money.Rat{}
	}
	for _, r := range rates {
		if r.Currency == next.Currency {
			continue
		}
		was, known := next.Rates[r.Currency]
		p.rateDays = append(p.rateDays, RateDay{Currency: r.Currency, Rate: r.Rate.String(), Day: r.Day})
		if known && was.Equal(r.Rate) {
			out.Unchanged++
			continue
		}
		change := CellChange{Field: "rate", Is: r.Rate.String()}
		if known {
			change.Was = was.String()
			out.Changed++
		} else {
			out.New++
		}
		next.Rates[r.Currency] = r.Rate
		out.Changes = append(out.Changes, RowChange{SKU: r.Currency, Name: r.Day.Format("2006-01-02"), New: !known,
			Changes: []CellChange{change}})
	}
	p.summary = fmt.Sprintf("Imported %s: %d exchange rates", out.File, out.New+out.Changed)
	if c := book.OfSettings(&snap.Book.Settings, &next); c.Changes() {
		p.changes = []book.Change{c}
	}
	return nil, nil
}

func (i *Imports) planAgreed(snap *book.Snapshot, file *waitingFile, p *Plan, out *Preview) ([]BadCell, error) {
	list, bad, err := ReadAgreed(file.table, out.Mapping, snap.Book)
	if err != nil || len(bad) > 0 {
		return bad, err
	}
	byCustomer := agreed.Prices{}
	for n := range list {
		if byCustomer[list[n].Customer] == nil {
			byCustomer[list[n].Customer] = map[string]*money.Rat{}
		}
		byCustomer[list[n].Customer][list[n].SKU] = &list[n].Price
	}
	products := map[string]*pricing.Product{}
	for n := range snap.Book.Products {
		products[snap.Book.Products[n].SKU] = snap.Book.Products[n]
	}
	for _, one := range list {
		was, had := products[one.SKU].Levels[agreed.Level(one.Customer)]
		change := CellChange{Field: "price", Is: bookfile.Amount(one.Price)}
		switch {
		case had && was.Equal(one.Price):
			out.Unchanged++
			continue
		case had:
			change.Was = bookfile.Amount(was)
			out.Changed++
		default:
			out.New++
		}
		if len(out.Changes) < previewRows {
			out.Changes = append(out.Changes, RowChange{SKU: one.SKU, Name: one.Customer, New: !had,
				Changes: []CellChange{change}})
		}
	}
	if p.changes, err = agreed.Set(snap.Book, byCustomer); err != nil {
		return nil, err
	}
	p.summary = fmt.Sprintf("Imported %s: %d new, %d changed agreed prices", out.File, out.New, out.Changed)
	return nil, nil
}
