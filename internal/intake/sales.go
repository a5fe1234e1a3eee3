package intake

import (
	"context"
	"fmt"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

func (i *Imports) planSales(ctx context.Context, snap *book.Snapshot, file *waitingFile, p *Plan,
	out *Preview) ([]BadCell, error) {
	now := snap.Moment(i.clocks.Book())
	sales, bad, err := ReadSales(file.table, out.Mapping, snap.Book, now)
	if err != nil || len(bad) > 0 || len(sales) == 0 {
		return bad, err
	}
	from, to := sales[0].At, sales[0].At
	for _, one := range sales {
		from, to = min(from, one.At), max(to, one.At)
	}
	known, err := i.keeper.KnownSales(ctx, from, to)
	if err != nil {
		return nil, err
	}
	for _, one := range sales {
		row := SoldLine{Moment: one.At, Customer: one.Customer, SKU: one.SKU, Quantity: one.Quantity,
			Paid: amountText(one.Paid), Channel: one.Channel}
		if known[row] {
			out.Unchanged++
			continue
		}
		out.New++
		p.sales = append(p.sales, row)
		if len(out.Changes) < previewRows {
			change := RowChange{SKU: row.SKU, Name: row.Moment.String(), New: true,
				Changes: []CellChange{{Field: "quantity", Is: fmt.Sprint(row.Quantity)}}}
			if row.Customer != "" {
				change.Changes = append(change.Changes, CellChange{Field: "customer", Is: row.Customer})
			}
			if row.Paid != "" {
				change.Changes = append(change.Changes, CellChange{Field: "paid", Is: row.Paid})
			}
			out.Changes = append(out.Changes, change)
		}
	}
	units, err := i.keeper.SoldUnits(ctx, now-soldDays*pricing.Day, now)
	if err != nil {
		return nil, err
	}
	for _, one := range p.sales {
		units[one.SKU] += 0
		if one.Moment >= now-soldDays*pricing.Day && one.Moment < now {
			units[one.SKU] += int64(one.Quantity)
		}
	}
	p.changes = soldChanges(snap.Book, units, nil)
	p.summary = fmt.Sprintf("Imported %s: %d sales, units sold of %d products", out.File, out.New, len(p.changes))
	return nil, nil
}

// soldDays is how far back units sold are counted.
const soldDays = 30

// soldChanges bring the units sold of products to what was counted; of those gone nothing is known any more.
func soldChanges(b *pricing.Book, units map[string]int64, gone map[string]bool) []book.Change {
	var changes []book.Change
	for i := range b.Products {
		p := b.Products[i]
		sold := p.Sold
		if n, counted := units[p.SKU]; counted {
			is := money.Int(n)
			sold = &is
		} else if gone[p.SKU] {
			sold = nil
		}
		if sold == p.Sold || sold != nil && p.Sold != nil && sold.Equal(*p.Sold) {
			continue
		}
		stock := plain(p.Stock)
		changes = append(changes, book.Change{Kind: book.Measures, Code: p.SKU,
			Before: book.MeasuresDoc(stock, plain(p.Sold)), After: book.MeasuresDoc(stock, plain(sold))})
	}
	return changes
}

// plain is a number as it is kept.
func plain(a *money.Rat) *string {
	if a == nil {
		return nil
	}
	text := a.String()
	return &text
}

// DropSales takes a file of sales back, and the units sold that it counted. An entry without an ID says that the book
// stays as it is.
func (i *Imports) DropSales(ctx context.Context, file int64, who string, checksSeen bool) (book.Entry, error) {
	snap := i.live.Current()
	at := i.clocks.Book()
	now := snap.Moment(at)
	before, err := i.keeper.SoldUnits(ctx, now-soldDays*pricing.Day, now)
	if err != nil {
		return book.Entry{}, err
	}
	if err := i.keeper.DropSales(ctx, file); err != nil {
		return book.Entry{}, err
	}
	units, err := i.keeper.SoldUnits(ctx, now-soldDays*pricing.Day, now)
	if err != nil {
		return book.Entry{}, err
	}
	gone := map[string]bool{}
	for sku := range before {
		gone[sku] = true
	}
	changes := soldChanges(snap.Book, units, gone)
	if len(changes) == 0 {
		return book.Entry{Version: snap.Version}, nil
	}
	summary := fmt.Sprintf("Took back a file of sales: units sold of %d products", len(changes))
	return i.live.Save(ctx, book.Edit{Who: who, At: at, Summary: summary, Changes: changes, ChecksSeen: checksSeen})
}
