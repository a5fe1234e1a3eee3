package server

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// BoardRow is one product's price from a viewpoint. Amounts are decimal texts in the board's currency.
type BoardRow struct {
	SKU      string     `json:"sku"`
	Name     string     `json:"name"`
	Category string     `json:"category"`
	Unit     string     `json:"unit" doc:"each, day or month"`
	List     *string    `json:"list"`
	BookList *string    `json:"bookList" doc:"the list price as it is kept, in the book's currency"`
	BookCost *string    `json:"bookCost" doc:"the cost as it is kept, without tax, in the book's currency"`
	After    []string   `json:"after" doc:"the price after each layer, in order; empty where there is no price"`
	Price    *string    `json:"price"`
	Lowest   *string    `json:"lowest" doc:"the lowest permitted price"`
	Cost     *string    `json:"cost" doc:"on the price's footing"`
	Left     *string    `json:"left" doc:"the margin: net less fee and cost"`
	Margin   *string    `json:"margin" doc:"the margin in percent of the net price"`
	Shown    *string    `json:"shown" doc:"what the channel shows now"`
	Change   *string    `json:"change" doc:"price less shown; null where the channel shows none"`
	Rules    []RuleMark `json:"rules" doc:"that applied, in order"`
	Flags    []string   `json:"flags"`
}

// RuleMark is a rule at work.
type RuleMark struct {
	Code  string `json:"code"`
	Name  string `json:"name"`
	Layer string `json:"layer"`
}

// Board is a page of rows.
type Board struct {
	Version  int64      `json:"version"`
	Currency string     `json:"currency"`
	At       string     `json:"at"`
	Total    int        `json:"total" doc:"rows that the filter leaves"`
	Start    int        `json:"start"`
	Rows     []BoardRow `json:"rows"`
}

// Category is a category with what lies under it.
type Category struct {
	Path   string  `json:"path"`
	Name   string  `json:"name"`
	Depth  int     `json:"depth"`
	Count  int     `json:"count"`
	Margin *string `json:"margin" doc:"mean margin in percent, of the products whose cost is known"`
	Flags  int     `json:"flags"`
}

// CategoryList is all categories; the first, with an empty path, is the whole catalogue.
type CategoryList struct {
	Categories []Category `json:"categories"`
}

// ChangeList is when windows open or close.
type ChangeList struct {
	Now     string   `json:"now"`
	Moments []string `json:"moments"`
}

// FlagList is the trouble found.
type FlagList struct {
	Version   int64                 `json:"version" doc:"of the book that was looked at"`
	Searching bool                  `json:"searching" doc:"a newer version is being looked at"`
	From      string                `json:"from"`
	To        string                `json:"to"`
	Flags     []bookfile.FlagAnswer `json:"flags"`
}

type boardQuery struct {
	ViewpointQuery
	Words    string `query:"q"`
	Category string `query:"category"`
	Show     string `query:"show" enum:"all,reduced,changed,below-cost,no-price" default:"all"`
	Rule     string `query:"rule" doc:"only products that this rule applied to"`
	Sort     string `query:"sort" enum:"category,sku,name,list,price,margin,left,change" default:"category"`
	Desc     bool   `query:"desc"`
	Start    int    `query:"start" minimum:"0"`
	Limit    int    `query:"limit" minimum:"1" maximum:"500" default:"100"`
}

func (s *Server) registerPrices(api huma.API) {
	huma.Get(api, "/api/board", func(ctx context.Context, in *boardQuery) (*body[Board], error) {
		return answer(s.board(ctx, in))
	})
	huma.Get(api, "/api/categories", func(_ context.Context, in *ViewpointQuery) (*body[CategoryList], error) {
		list, err := s.categories(in)
		return answer(CategoryList{list}, err)
	})
	huma.Get(api, "/api/price", func(ctx context.Context, in *struct {
		ViewpointQuery
		SKU string `query:"sku" required:"true"`
	}) (*body[PriceDetail], error) {
		return answer(s.price(ctx, &in.ViewpointQuery, in.SKU))
	})
	huma.Get(api, "/api/changes", func(_ context.Context, in *struct {
		Days int `query:"days" minimum:"1" maximum:"400" default:"60"`
	}) (*body[ChangeList], error) {
		snap := s.live.Current()
		now := s.moment(snap)
		from := now - now%pricing.Day - 7*pricing.Day
		out := ChangeList{Now: now.String(), Moments: []string{}}
		for _, m := range snap.Engine.Changes(from, from+pricing.Moment(in.Days)*pricing.Day, 400) {
			out.Moments = append(out.Moments, m.String())
		}
		return answer(out, nil)
	})
	huma.Get(api, "/api/flags", func(_ context.Context, _ *struct{}) (*body[FlagList], error) {
		snap := s.live.Current()
		found, version, searching := s.currentFlags(snap)
		now := s.moment(snap)
		out := FlagList{Version: version, Searching: searching || version != snap.Version, From: now.String(), To: (now + flagSpan).String(), Flags: []bookfile.FlagAnswer{}}
		for i := range found {
			out.Flags = append(out.Flags, bookfile.FlagAnswerOf(&found[i]))
		}
		return answer(out, nil)
	})
}

func (s *Server) board(ctx context.Context, in *boardQuery) (Board, error) {
	snap := s.live.Current()
	vp, err := in.viewpoint(s, snap)
	if err != nil {
		return Board{}, err
	}
	sw, err := s.sweep(snap, vp)
	if err != nil {
		return Board{}, err
	}
	var shown map[string]store.Shown
	if vp.Channel != "" {
		if shown, err = s.shownIn(ctx, vp.Channel); err != nil {
			return Board{}, err
		}
	}
	products := snap.Engine.Products()
	words, keep := s.searchable(snap), in.filter(snap, sw, shown)
	wanted := strings.Fields(strings.ToLower(in.Words))
	var list []int32
	for _, p := range s.order(snap, sw, in, shown) {
		if keep(p) && containsAll(words[p], wanted) {
			list = append(list, p)
		}
	}
	b := Board{Version: snap.Version, Currency: sw.Currency, At: vp.At.String(), Total: len(list), Start: in.Start, Rows: []BoardRow{}}
	for _, p := range list[min(in.Start, len(list)):min(in.Start+in.Limit, len(list))] {
		b.Rows = append(b.Rows, boardRow(products[p], sw, p, shown))
	}
	return b, nil
}

func containsAll(text string, words []string) bool {
	return !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(text, w) })
}

// filter says which products a board shows.
func (q *boardQuery) filter(snap *store.Snapshot, sw *swept, shown map[string]store.Shown) func(p int32) bool {
	var in pricing.Set
	if q.Category != "" {
		in = snap.Engine.Match(&pricing.Where{Field: pricing.FieldCategory, Values: []string{q.Category}})
	}
	products, lists := snap.Engine.Products(), sw.Lists()
	return func(p int32) bool {
		if in != nil && !in.Has(p) {
			return false
		}
		if q.Rule != "" && !sw.Applied(p, q.Rule) {
			return false
		}
		price, priced := sw.Price(p)
		switch q.Show {
		case "reduced":
			list, listed := lists(p)
			return priced && listed && price < list
		case "changed":
			_, differs := change(products[p].SKU, price, priced, sw.Digits, shown)
			return differs
		case "below-cost":
			return sw.BelowCost(p)
		case "no-price":
			return !priced
		}
		return true
	}
}

// change is the price less what the channel shows, and whether the two differ at all.
func change(sku string, price int64, priced bool, digits int, shown map[string]store.Shown) (*money.Rat, bool) {
	was, known := shown[sku]
	if !known || !priced {
		return nil, shown != nil && known != priced
	}
	d := money.FromMinor(price, digits).Sub(was.Price)
	return &d, d.Sign() != 0
}

// order is all products in the order asked for; what is missing comes last in either direction.
func (s *Server) order(snap *store.Snapshot, sw *swept, q *boardQuery, shown map[string]store.Shown) []int32 {
	key := fmt.Sprint(q.Sort, q.Desc)
	sw.mu.Lock()
	defer sw.mu.Unlock()
	if q.Sort != "change" { // what a channel shows may change under a sweep
		if list, done := sw.orders[key]; done {
			return list
		}
	}
	products := snap.Engine.Products()
	list := make([]int32, len(products))
	for i := range list {
		list[i] = int32(i)
	}
	by := func(value func(p int32) (int64, bool)) func(a, b int32) int {
		type keyed struct {
			v  int64
			ok bool
		}
		keys := make([]keyed, len(products))
		for p := range keys {
			keys[p].v, keys[p].ok = value(int32(p))
		}
		return func(a, b int32) int {
			x, y := keys[a], keys[b]
			switch {
			case x.ok != y.ok && x.ok:
				return -1
			case x.ok != y.ok:
				return 1
			case q.Desc:
				x, y = y, x
			}
			return cmp.Compare(x.v, y.v)
		}
	}
	text := func(value func(p *pricing.Product) string) func(a, b int32) int {
		return func(a, b int32) int {
			c := cmp.Compare(value(products[a]), value(products[b]))
			if q.Desc {
				return -c
			}
			return c
		}
	}
	lists := sw.Lists()
	compare := func(a, b int32) int { return 0 }
	switch q.Sort {
	case "sku":
		compare = text(func(p *pricing.Product) string { return p.SKU })
	case "name":
		compare = text(func(p *pricing.Product) string { return p.Name })
	case "list":
		compare = by(lists)
	case "price":
		compare = by(sw.Price)
	case "left":
		margins := sw.Margins()
		compare = by(func(p int32) (int64, bool) { return margins.Left[p], margins.Known[p] })
	case "margin":
		margins := sw.Margins()
		compare = by(func(p int32) (int64, bool) { return marginShare(margins.Net[p], margins.Left[p], margins.Known[p]) })
	case "change":
		compare = by(func(p int32) (int64, bool) {
			price, priced := sw.Price(p)
			d, _ := change(products[p].SKU, price, priced, sw.Digits, shown)
			if d == nil {
				return 0, false
			}
			n, _ := d.Minor(sw.Digits, money.HalfUp)
			return n, true
		})
	default:
		if q.Desc {
			slices.Reverse(list)
		}
	}
	slices.SortStableFunc(list, compare)
	sw.orders[key] = list
	return list
}

func boardRow(p *pricing.Product, sw *swept, number int32, shown map[string]store.Shown) BoardRow {
	kept := func(a *money.Rat) *string {
		if a == nil {
			return nil
		}
		text := bookfile.Amount(*a)
		return &text
	}
	row, digits := sw.Row(number), sw.Digits
	out := BoardRow{SKU: p.SKU, Name: p.Name, Category: p.Category, Unit: p.Unit, List: minor(row.List, row.HasList, digits), BookList: kept(p.List), BookCost: kept(p.Cost),
		After: []string{}, Price: minor(row.Price, row.HasPrice, digits), Cost: minor(row.Cost, row.HasCost, digits), Rules: []RuleMark{}, Flags: []string{}}
	if was, known := shown[p.SKU]; known {
		text := was.Price.Fixed(digits)
		out.Shown = &text
	}
	if d, _ := change(p.SKU, row.Price, row.HasPrice, digits, shown); d != nil {
		text := d.Fixed(digits)
		out.Change = &text
	}
	if !row.HasPrice {
		out.Flags = append(out.Flags, "no-price")
		return out
	}
	for _, after := range row.After {
		out.After = append(out.After, money.FormatMinor(after, digits))
	}
	out.Lowest = minor(row.Lowest, row.Lowest > 0, digits)
	if row.HasCost {
		out.Left, out.Margin = minor(row.Left, true, digits), marginPercent(row.Left, row.Net)
	}
	for _, r := range row.Rules {
		out.Rules = append(out.Rules, RuleMark{r.Code, cmp.Or(r.Name, r.Code), r.Layer.String()})
	}
	switch {
	case row.BelowCost:
		out.Flags = append(out.Flags, "below-cost")
	case !row.HasCost:
		out.Flags = append(out.Flags, "no-cost")
	}
	return out
}

// marginShare is a margin in millionths of the net price; false where there is none.
func marginShare(net, left int64, known bool) (int64, bool) {
	if !known || net == 0 {
		return 0, false
	}
	return left * 1_000_000 / net, true
}

// marginPercent is left ÷ net in percent with one decimal.
func marginPercent(left, net int64) *string {
	if net == 0 {
		return nil
	}
	text := money.Ratio(left, net).Mul(money.Int(100)).Fixed(1)
	return &text
}

func (s *Server) categories(in *ViewpointQuery) ([]Category, error) {
	snap := s.live.Current()
	vp, err := in.viewpoint(s, snap)
	if err != nil {
		return nil, err
	}
	sw, err := s.sweep(snap, vp)
	if err != nil {
		return nil, err
	}
	type sum struct {
		count, known, flags int
		margins             int64 // millionths
	}
	sums := map[string]*sum{}
	add := func(path string, share int64, known, flagged bool) {
		c := sums[path]
		if c == nil {
			c = &sum{}
			sums[path] = c
		}
		c.count++
		if known {
			c.known++
			c.margins += share
		}
		if flagged {
			c.flags++
		}
	}
	products, margins := snap.Engine.Products(), sw.Margins()
	for p := range int32(sw.Len()) {
		share, known := marginShare(margins.Net[p], margins.Left[p], margins.Known[p])
		_, priced := sw.Price(p)
		flagged, path := !priced || sw.BelowCost(p), products[p].Category
		add("", share, known, flagged)
		for i := range len(path) {
			if path[i] == '/' {
				add(path[:i], share, known, flagged)
			}
		}
		if path != "" {
			add(path, share, known, flagged)
		}
	}
	paths := make([]string, 0, len(sums))
	for path := range sums {
		paths = append(paths, path)
	}
	slices.SortFunc(paths, func(a, b string) int {
		return cmp.Compare(strings.ReplaceAll(a, "/", "\x00"), strings.ReplaceAll(b, "/", "\x00"))
	})
	list := []Category{}
	for _, path := range paths {
		c := sums[path]
		out := Category{Path: path, Name: path[strings.LastIndex(path, "/")+1:], Count: c.count, Flags: c.flags}
		if path != "" {
			out.Depth = 1 + strings.Count(path, "/")
		}
		if c.known > 0 {
			mean := money.Ratio(c.margins, int64(c.known)).Mul(money.Ratio(1, 10_000)).Fixed(1)
			out.Margin = &mean
		}
		list = append(list, out)
	}
	return list, nil
}

// PriceDetail is one product's price with its whole trail.
type PriceDetail struct {
	Product ProductDetail        `json:"product"`
	Answer  bookfile.PriceAnswer `json:"answer"`
	Rules   []RuleMark           `json:"rules" doc:"names of the rules in the trail"`
	Shown   []ChannelPrice       `json:"shown" doc:"what the channels show"`
	At      string               `json:"at"`
}

// ProductDetail is a product as it is kept.
type ProductDetail struct {
	SKU      string   `json:"sku"`
	Name     string   `json:"name"`
	Category string   `json:"category"`
	Brand    string   `json:"brand"`
	Supplier string   `json:"supplier"`
	Tags     []string `json:"tags"`
	Stock    *string  `json:"stock"`
	Sold     *string  `json:"sold" doc:"units in the last 30 days"`
}

// ChannelPrice is what a channel shows and since when.
type ChannelPrice struct {
	Channel   string  `json:"channel"`
	Name      string  `json:"name"`
	Price     *string `json:"price"`
	Reference *string `json:"reference"`
	Currency  string  `json:"currency"`
	Since     string  `json:"since"`
}

func (s *Server) price(ctx context.Context, in *ViewpointQuery, sku string) (PriceDetail, error) {
	snap := s.live.Current()
	vp, err := in.viewpoint(s, snap)
	if err != nil {
		return PriceDetail{}, err
	}
	a, err := snap.Engine.Price(pricing.Question{Viewpoint: vp, SKU: sku})
	if err != nil {
		return PriceDetail{}, err
	}
	n, _ := snap.Engine.ProductNumber(sku)
	p := snap.Engine.Products()[n]
	out := PriceDetail{Answer: *bookfile.Answer(a), Rules: []RuleMark{}, Shown: []ChannelPrice{}, At: vp.At.String(),
		Product: ProductDetail{SKU: p.SKU, Name: p.Name, Category: p.Category, Brand: p.Brand, Supplier: p.Supplier, Tags: append([]string{}, p.Tags...)}}
	for amount, to := range map[*money.Rat]**string{p.Stock: &out.Product.Stock, p.Sold: &out.Product.Sold} {
		if amount != nil {
			text := amount.String()
			*to = &text
		}
	}
	for i := range snap.Book.Rules {
		r := &snap.Book.Rules[i]
		out.Rules = append(out.Rules, RuleMark{r.Code, cmp.Or(r.Name, r.Code), r.Layer.String()})
	}
	for _, c := range snap.Book.Channels {
		shown, err := s.shownIn(ctx, c.Code)
		if err != nil {
			return out, err
		}
		cp := ChannelPrice{Channel: c.Code, Name: c.Name, Currency: cmp.Or(c.Currency, snap.Book.Settings.Currency)}
		if was, known := shown[sku]; known {
			digits, _ := money.Digits(was.Currency)
			price := was.Price.Fixed(digits)
			cp.Price, cp.Since, cp.Currency = &price, s.wall(was.From), was.Currency
			if was.Reference != nil {
				ref := was.Reference.Fixed(digits)
				cp.Reference = &ref
			}
		}
		out.Shown = append(out.Shown, cp)
	}
	return out, nil
}
