package server

import (
	"cmp"
	"context"
	"fmt"
	"math"
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
	Against  *string    `json:"against" doc:"the price that this is compared with"`
	Change   *string    `json:"change" doc:"price less that; null where there is none"`
	Stock    *string    `json:"stock"`
	Sold     *string    `json:"sold" doc:"units in the last 30 days"`
	Spread   []*string  `json:"spread,omitempty" doc:"prices by the board's columns"`
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

	Columns []SpreadColumn `json:"columns,omitempty" doc:"what prices are spread over"`
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
	Names     map[string]string     `json:"names" doc:"of the products in them, by SKU, where they have one"`
}

// BoardFilter says which products a board is about.
type BoardFilter struct {
	ViewpointQuery
	Against  string `query:"against" doc:"published, list, at:MOMENT or who:WHO"`
	Words    string `query:"q"`
	Category string `query:"category"`
	Show     string `query:"show" enum:"all,reduced,changed,below-cost,no-price" default:"all"`
	Rule     string `query:"rule" doc:"only products that this rule applied to"`
	Margin   string `query:"margin" doc:"only margins in percent from MIN to below MAX, as MIN:MAX; either may be empty"`
	Change   string `query:"change" doc:"only changes in percent, likewise"`
}

type BoardQuery struct {
	BoardFilter
	Sort   string `query:"sort" enum:"category,sku,name,list,price,margin,left,change,stock,sold" default:"category"`
	Desc   bool   `query:"desc"`
	Start  int    `query:"start" minimum:"0"`
	Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"100"`
	Spread string `query:"spread" enum:",group,quantity,channel,changes"`
}

// Histogram counts products by a percent, in bins of equal width.
type Histogram struct {
	From   int     `json:"from" doc:"percent at which the first bin begins; it also holds all below"`
	Width  int     `json:"width"`
	Counts []int   `json:"counts" doc:"the last one also holds all above"`
	Mean   *string `json:"mean"`
}

// Histograms are those of what a board shows.
type Histograms struct {
	Total  int       `json:"total"`
	Margin Histogram `json:"margin"`
	Change Histogram `json:"change"`
}

func (s *Server) registerPrices(api huma.API) {
	huma.Get(api, "/api/board", func(ctx context.Context, in *BoardQuery) (*body[Board], error) {
		return answer(s.board(ctx, in))
	})
	huma.Get(api, "/api/histograms", func(ctx context.Context, in *BoardFilter) (*body[Histograms], error) {
		return answer(s.histograms(ctx, in))
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
		for _, m := range snap.Engine.Changes(from, from+pricing.Moment(in.Days)*pricing.Day, 400, nil) {
			out.Moments = append(out.Moments, m.String())
		}
		return answer(out, nil)
	})
	huma.Get(api, "/api/flags", func(_ context.Context, _ *struct{}) (*body[FlagList], error) {
		snap := s.live.Current()
		found, version, searching := s.currentFlags(snap)
		now := s.moment(snap)
		out := FlagList{Version: version, Searching: searching || version != snap.Version, From: now.String(), To: (now + flagSpan).String(),
			Flags: []bookfile.FlagAnswer{}, Names: map[string]string{}}
		for i := range found {
			if p := snap.Product(found[i].Witness.SKU); p != nil && p.Name != "" {
				out.Names[p.SKU] = p.Name
			}
			out.Flags = append(out.Flags, bookfile.FlagAnswerOf(&found[i]))
		}
		return answer(out, nil)
	})
}

// seen is a board: its viewpoint, prices, comparison, and the products that the filter leaves, in their order.
type seen struct {
	snap    *store.Snapshot
	vp      pricing.Viewpoint
	sweep   *swept
	against comparison
	list    []int32
}

func (s *Server) see(ctx context.Context, in *BoardFilter, sort string, desc bool) (*seen, error) {
	snap := s.live.Current()
	vp, err := in.viewpoint(s, snap)
	if err != nil {
		return nil, err
	}
	sw, err := s.sweep(snap, vp)
	if err != nil {
		return nil, err
	}
	v := &seen{snap: snap, vp: vp, sweep: sw}
	if v.against, err = s.against(ctx, snap, in.Against, vp, sw); err != nil {
		return nil, err
	}
	keep, err := v.filter(in)
	if err != nil {
		return nil, err
	}
	words, wanted := s.searchable(snap), strings.Fields(strings.ToLower(in.Words))
	v.list = []int32{}
	for _, p := range v.order(sort, desc) {
		if keep(p) && containsAll(words[p], wanted) {
			v.list = append(v.list, p)
		}
	}
	if sort == "change" {
		v.sortByChange(desc)
	}
	return v, nil
}

// sortByChange sorts what the filter left by its change; what has none comes last. It is worked out for each answer:
// what a channel shows may change under a sweep.
func (v *seen) sortByChange(desc bool) {
	type keyed struct {
		change int64
		p      int32
	}
	known, rest := make([]keyed, 0, len(v.list)), []int32{}
	for _, p := range v.list {
		if d, ok := v.change(p); ok {
			known = append(known, keyed{d, p})
		} else {
			rest = append(rest, p)
		}
	}
	slices.SortStableFunc(known, func(a, b keyed) int {
		if desc {
			a, b = b, a
		}
		return cmp.Compare(a.change, b.change)
	})
	v.list = v.list[:0]
	for _, k := range known {
		v.list = append(v.list, k.p)
	}
	v.list = append(v.list, rest...)
}

func (s *Server) board(ctx context.Context, in *BoardQuery) (Board, error) {
	v, err := s.see(ctx, &in.BoardFilter, in.Sort, in.Desc)
	if err != nil {
		return Board{}, err
	}
	b := Board{Version: v.snap.Version, Currency: v.sweep.Currency, At: v.vp.At.String(), Total: len(v.list), Start: in.Start, Rows: []BoardRow{}}
	columns, sweeps, err := s.spreadOf(v, in.Spread)
	if err != nil {
		return Board{}, err
	}
	b.Columns = columns
	for _, p := range v.list[min(in.Start, len(v.list)):min(in.Start+in.Limit, len(v.list))] {
		row := v.row(p)
		for _, sw := range sweeps {
			price, priced := sw.Price(p)
			row.Spread = append(row.Spread, minor(price, priced, sw.Digits))
		}
		b.Rows = append(b.Rows, row)
	}
	return b, nil
}

// spreadOf are the sweeps of a board's columns.
func (s *Server) spreadOf(v *seen, by string) ([]SpreadColumn, []*swept, error) {
	columns, vps, err := s.spread(v.snap, by, v.vp)
	if err != nil {
		return nil, nil, err
	}
	sweeps := make([]*swept, len(vps))
	for i, vp := range vps {
		if sweeps[i], err = s.sweep(v.snap, vp); err != nil {
			return nil, nil, err
		}
	}
	return columns, sweeps, nil
}

func containsAll(text string, words []string) bool {
	return !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(text, w) })
}

// span reads "MIN:MAX" in percent as millionths; ok is false where the text is none.
func span(text string) (low, high int64, ok bool) {
	low, high = math.MinInt64, math.MaxInt64
	a, b, found := strings.Cut(text, ":")
	if !found {
		return low, high, text == ""
	}
	for _, end := range []struct {
		text string
		to   *int64
	}{{a, &low}, {b, &high}} {
		if end.text == "" {
			continue
		}
		percent, err := money.Parse(end.text)
		if err != nil {
			return low, high, false
		}
		n, fits := percent.Minor(4, money.Down)
		if !fits {
			return low, high, false
		}
		*end.to = n
	}
	return low, high, true
}

// filter says which products a board shows.
func (v *seen) filter(q *BoardFilter) (func(p int32) bool, error) {
	var in pricing.Set
	if q.Category != "" {
		in = v.snap.Engine.Match(&pricing.Where{Field: pricing.FieldCategory, Values: []string{q.Category}})
	}
	marginLow, marginHigh, ok1 := span(q.Margin)
	changeLow, changeHigh, ok2 := span(q.Change)
	if !ok1 || !ok2 {
		return nil, &pricing.QuestionError{Path: "margin", Problem: "a span is written as MIN:MAX in percent"}
	}
	sw, lists, applied := v.sweep, v.sweep.Lists(), v.sweep.AppliedBy(q.Rule)
	var margins *pricing.Margins
	if q.Margin != "" {
		margins = sw.Margins()
	}
	return func(p int32) bool {
		if in != nil && !in.Has(p) || q.Rule != "" && !applied(p) {
			return false
		}
		if margins != nil {
			share, known := marginShare(margins.Net[p], margins.Left[p], margins.Known[p])
			if !known || share < marginLow || share >= marginHigh {
				return false
			}
		}
		if q.Change != "" {
			share, known := v.changeShare(p)
			if !known || share < changeLow || share >= changeHigh {
				return false
			}
		}
		price, priced := sw.Price(p)
		switch q.Show {
		case "reduced":
			list, listed := lists(p)
			return priced && listed && price < list
		case "changed":
			was, had := v.against.price(p)
			return v.against.known && (had != priced || priced && price != was)
		case "below-cost":
			return sw.BelowCost(p)
		case "no-price":
			return !priced
		}
		return true
	}, nil
}

// change is the price less what it is compared with.
func (v *seen) change(p int32) (int64, bool) {
	price, priced := v.sweep.Price(p)
	was, had := v.against.price(p)
	return price - was, priced && had
}

// changeShare is the change in millionths of what the price is compared with.
func (v *seen) changeShare(p int32) (int64, bool) {
	was, _ := v.against.price(p)
	d, known := v.change(p)
	if !known || was == 0 {
		return 0, false
	}
	return d * 1_000_000 / was, true
}

// order is all products in the order asked for, but for changes; what is missing comes last in either direction.
func (v *seen) order(by string, desc bool) []int32 {
	sw, products := v.sweep, v.snap.Engine.Products()
	sw.mu.Lock()
	defer sw.mu.Unlock()
	if by == "change" {
		by, desc = "category", false
	}
	key := fmt.Sprint(by, desc)
	if list, done := sw.orders[key]; done {
		return list
	}
	list := make([]int32, len(products))
	for i := range list {
		list[i] = int32(i)
	}
	number := func(value func(p int32) (int64, bool)) func(a, b int32) int {
		keys, known := make([]int64, len(products)), make([]bool, len(products))
		for p := range keys {
			keys[p], known[p] = value(int32(p))
		}
		return func(a, b int32) int {
			switch {
			case known[a] != known[b] && known[a]:
				return -1
			case known[a] != known[b]:
				return 1
			case desc:
				a, b = b, a
			}
			return cmp.Compare(keys[a], keys[b])
		}
	}
	text := func(value func(p *pricing.Product) string) func(a, b int32) int {
		return func(a, b int32) int {
			if desc {
				a, b = b, a
			}
			return cmp.Compare(value(products[a]), value(products[b]))
		}
	}
	amount := func(value func(p *pricing.Product) *money.Rat) func(a, b int32) int {
		return number(func(p int32) (int64, bool) {
			a := value(products[p])
			if a == nil {
				return 0, false
			}
			return a.Minor(6, money.HalfUp)
		})
	}
	var compare func(a, b int32) int
	switch by {
	case "sku":
		compare = text(func(p *pricing.Product) string { return p.SKU })
	case "name":
		compare = text(func(p *pricing.Product) string { return p.Name })
	case "list":
		compare = number(sw.Lists())
	case "price":
		compare = number(sw.Price)
	case "left":
		m := sw.Margins()
		compare = number(func(p int32) (int64, bool) { return m.Left[p], m.Known[p] })
	case "margin":
		m := sw.Margins()
		compare = number(func(p int32) (int64, bool) { return marginShare(m.Net[p], m.Left[p], m.Known[p]) })
	case "stock":
		compare = amount(func(p *pricing.Product) *money.Rat { return p.Stock })
	case "sold":
		compare = amount(func(p *pricing.Product) *money.Rat { return p.Sold })
	}
	switch {
	case compare != nil:
		slices.SortFunc(list, func(a, b int32) int { return cmp.Or(compare(a, b), cmp.Compare(a, b)) })
	case desc:
		slices.Reverse(list)
	}
	sw.orders[key] = list
	return list
}

const (
	marginBins, marginFrom, marginWidth = 12, -20, 10
	changeBins, changeFrom, changeWidth = 10, -50, 10
)

func (s *Server) histograms(ctx context.Context, in *BoardFilter) (Histograms, error) {
	v, err := s.see(ctx, in, "category", false)
	if err != nil {
		return Histograms{}, err
	}
	margins := v.sweep.Margins()
	return Histograms{Total: len(v.list),
		Margin: histogram(v.list, marginFrom, marginWidth, marginBins, func(p int32) (int64, bool) {
			return marginShare(margins.Net[p], margins.Left[p], margins.Known[p])
		}),
		Change: histogram(v.list, changeFrom, changeWidth, changeBins, func(p int32) (int64, bool) {
			share, known := v.changeShare(p)
			return share, known && share != 0
		})}, nil
}

// histogram counts shares in millionths.
func histogram(list []int32, from, width, bins int, share func(p int32) (int64, bool)) Histogram {
	h := Histogram{From: from, Width: width, Counts: make([]int, bins)}
	var values []int64
	for _, p := range list {
		n, known := share(p)
		if !known {
			continue
		}
		values = append(values, n)
		at := (n - int64(from)*10_000)
		bin := int(at / (int64(width) * 10_000))
		if at < 0 {
			bin = 0
		}
		h.Counts[min(bin, bins-1)]++
	}
	h.Mean = mean(values)
	return h
}

// row is a product on the board.
func (v *seen) row(number int32) BoardRow {
	p := v.snap.Engine.Products()[number]
	kept := func(a *money.Rat) *string {
		if a == nil {
			return nil
		}
		text := bookfile.Amount(*a)
		return &text
	}
	row, digits := v.sweep.Row(number), v.sweep.Digits
	out := BoardRow{SKU: p.SKU, Name: p.Name, Category: p.Category, Unit: p.Unit, List: minor(row.List, row.HasList, digits), BookList: kept(p.List), BookCost: kept(p.Cost),
		After: []string{}, Price: minor(row.Price, row.HasPrice, digits), Cost: minor(row.Cost, row.HasCost, digits), Rules: []RuleMark{}, Flags: []string{}, Stock: plainText(p.Stock), Sold: plainText(p.Sold)}
	was, had := v.against.price(number)
	out.Against = minor(was, had, digits)
	d, known := v.change(number)
	out.Change = minor(d, known, digits)
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
	case row.UnderGuard:
		out.Flags = append(out.Flags, "thin-margin")
	}
	return out
}

// plainText is a number as it is kept.
func plainText(a *money.Rat) *string {
	if a == nil {
		return nil
	}
	text := a.String()
	return &text
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
	Lowest  *string              `json:"lowest" doc:"the lowest permitted price, rounded up"`
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
	sw, err := s.sweep(snap, vp)
	if err != nil {
		return out, err
	}
	lowest := sw.Row(n).Lowest
	out.Lowest = minor(lowest, lowest > 0, sw.Digits)
	out.Product.Stock, out.Product.Sold = plainText(p.Stock), plainText(p.Sold)
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
