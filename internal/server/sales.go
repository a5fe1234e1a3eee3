package server

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"slices"
	"sync"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/intake"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// SalesFileList is the files of sales that were brought in.
type SalesFileList struct {
	Files []SalesFile `json:"files"`
}

// SalesFile is one of them.
type SalesFile struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
	Who  string `json:"who"`
	At   string `json:"at"`
	Rows int    `json:"rows"`
}

func (s *Server) registerSales(api huma.API) {
	huma.Get(api, "/api/sales", func(ctx context.Context, _ *struct{}) (*body[SalesFileList], error) {
		files, err := s.store.SalesFiles(ctx)
		out := SalesFileList{Files: []SalesFile{}}
		for _, f := range files {
			out.Files = append(out.Files, SalesFile{f.ID, f.Name, f.Who, s.wall(f.At), f.Rows})
		}
		return answer(out, err)
	})
	huma.Register(api, huma.Operation{Method: http.MethodDelete, Path: "/api/sales/{id}"}, func(ctx context.Context, in *struct {
		ID int64 `path:"id"`
	}) (*body[Saved], error) {
		return answer(s.dropSales(ctx, in.ID))
	})
}

func (s *Server) planSales(ctx context.Context, file *waitingFile, p *plan, out *ImportPreview) ([]intake.BadCell, error) {
	snap := s.live.Current()
	sales, bad, err := intake.ReadSales(file.table, out.Mapping, snap.Book, s.moment(snap))
	if err != nil || len(bad) > 0 || len(sales) == 0 {
		return bad, err
	}
	from, to := sales[0].At, sales[0].At
	for _, one := range sales {
		from, to = min(from, one.At), max(to, one.At)
	}
	known, err := s.store.KnownSales(ctx, from, to)
	if err != nil {
		return nil, err
	}
	for _, one := range sales {
		row := store.Sale{Moment: one.At, Customer: one.Customer, SKU: one.SKU, Quantity: one.Quantity, Paid: amountText(one.Paid), Channel: one.Channel}
		if known[row] {
			out.Unchanged++
			continue
		}
		out.New++
		p.sales = append(p.sales, row)
		if len(out.Changes) < previewRows {
			change := intake.RowChange{SKU: row.SKU, Name: row.Moment.String(), New: true, Changes: []intake.CellChange{{Field: "quantity", Is: fmt.Sprint(row.Quantity)}}}
			if row.Customer != "" {
				change.Changes = append(change.Changes, intake.CellChange{Field: "customer", Is: row.Customer})
			}
			if row.Paid != "" {
				change.Changes = append(change.Changes, intake.CellChange{Field: "paid", Is: row.Paid})
			}
			out.Changes = append(out.Changes, change)
		}
	}
	now := s.moment(snap)
	units, err := s.store.SoldUnits(ctx, now-soldDays*pricing.Day, now)
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
func soldChanges(b *pricing.Book, units map[string]int64, gone map[string]bool) []store.Change {
	var changes []store.Change
	for i := range b.Products {
		p := &b.Products[i]
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
		stock := plainText(p.Stock)
		changes = append(changes, store.Change{Kind: store.Measures, Code: p.SKU, Before: store.MeasuresDoc(stock, plainText(p.Sold)), After: store.MeasuresDoc(stock, plainText(sold))})
	}
	return changes
}

func (s *Server) dropSales(ctx context.Context, id int64) (Saved, error) {
	snap := s.live.Current()
	now := s.moment(snap)
	before, err := s.store.SoldUnits(ctx, now-soldDays*pricing.Day, now)
	if err != nil {
		return Saved{}, err
	}
	if err := s.store.DropSales(ctx, id); err != nil {
		return Saved{}, err
	}
	s.purchases.forget()
	units, err := s.store.SoldUnits(ctx, now-soldDays*pricing.Day, now)
	if err != nil {
		return Saved{}, err
	}
	gone := map[string]bool{}
	for sku := range before {
		gone[sku] = true
	}
	changes := soldChanges(snap.Book, units, gone)
	if len(changes) == 0 {
		return Saved{Version: snap.Version}, nil
	}
	out, err := s.commit(ctx, fmt.Sprintf("Took back a file of sales: units sold of %d products", len(changes)), changes)
	return unwrap(out, err)
}

// purchaseCache keeps what customers bought, until sales are brought in or taken back.
type purchaseCache struct {
	mu      sync.Mutex
	loaded  bool
	version int64 // of the book when they were read: another instance may have brought sales in since
	by      map[string][]pricing.Purchase
}

func (c *purchaseCache) forget() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.loaded, c.by = false, nil
}

// knowBuyer puts into a customer's viewpoint whether a purchase would be the first, and the earlier ones as far back as
// a rule of the book counts them. Where no sales were ever brought in nothing is known, and no purchase is the first.
func (s *Server) knowBuyer(ctx context.Context, snap *store.Snapshot, vp *pricing.Viewpoint) error {
	vp.FirstOrder, vp.History = false, nil
	if vp.Customer == "" {
		return nil
	}
	c := &s.purchases
	c.mu.Lock()
	defer c.mu.Unlock()
	if !c.loaded || c.version != snap.Version {
		by, err := s.store.Purchases(ctx)
		if err != nil {
			return err
		}
		c.loaded, c.version, c.by = true, snap.Version, by
	}
	days := 0
	for i := range snap.Book.Rules {
		days = max(days, snap.Book.Rules[i].HistoryDays)
	}
	bought := c.by[vp.Customer]
	end, _ := slices.BinarySearchFunc(bought, vp.At, func(p pricing.Purchase, at pricing.Moment) int { return cmp.Compare(p.At, at) })
	vp.FirstOrder = len(c.by) > 0 && end == 0
	for _, p := range bought[:end] {
		if p.At >= vp.At-pricing.Moment(days+1)*pricing.Day && days > 0 {
			vp.History = append(vp.History, p)
		}
	}
	return nil
}
