package server

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/publish/pieces"
	"dogbane/internal/publish/telling"
	"dogbane/internal/store"
)

// ChannelDifferences are what publishing to a channel now would change: the pieces that were changed, and a page of the
// prices that come of them.
type ChannelDifferences struct {
	Version   int64        `json:"version"`
	Channel   string       `json:"channel"`
	Name      string       `json:"name"`
	Connected bool         `json:"connected"`
	Page      string       `json:"page,omitempty" doc:"where people see its prices"`
	Currency  string       `json:"currency"`
	At        string       `json:"at"`
	First     bool         `json:"first" doc:"nothing was published there yet: everything goes"`
	Pieces    []PieceRow   `json:"pieces" doc:"in which the saved book differs from the published one"`
	Loose     int          `json:"loose" doc:"rows that no chosen piece reaches: moved by stock, customers or what was answered before"`
	Rules     int          `json:"rules" doc:"rules that the channel would be told, or would forget"`
	Total     int          `json:"total" doc:"rows on all pages"`
	Going     int          `json:"going" doc:"of them, those that would be sent if nothing is blocked: neither held nor left out"`
	Blocked   int          `json:"blocked" doc:"of those that would be sent"`
	Held      int          `json:"held" doc:"of all"`
	LeftOut   int          `json:"leftOut" doc:"of all"`
	Kinds     []KindCount  `json:"kinds"`
	Same      int          `json:"same"`
	Unpriced  int          `json:"unpriced" doc:"products without a price there"`
	Of        Passing      `json:"of" doc:"what passes the filter"`
	Made      []Facet      `json:"made" doc:"rules that made prices among all rows"`
	Within    []Facet      `json:"within" doc:"categories of all rows, those that they lie in included"`
	Rows      []Difference `json:"rows"`
	Next      string       `json:"next,omitempty" doc:"for after: the next page's"`
}

// PieceRow is a piece in which the saved book differs from what is published in a channel, or all products of one edit.
type PieceRow struct {
	Piece    string       `json:"piece" doc:"such as \"rule GLAZE-WEEK\", \"product GB-01\", \"settings rates\"; \"edit 812\" for the products that an edit changed last"`
	Name     string       `json:"name"`
	Was      string       `json:"was,omitempty" doc:"its name as published, where only its code is another"`
	Change   string       `json:"change" enum:"new,changed,gone"`
	Products int          `json:"products,omitempty" doc:"of an edit: how many"`
	Edit     string       `json:"edit,omitempty" doc:"of a product: the edit that changed it last"`
	Lines    int          `json:"lines" doc:"prices that it reaches and that change now"`
	Later    []LaterLines `json:"later" doc:"the first moments at which it makes lines others than what is published says"`
	Blocked  []StopRow    `json:"blocked" doc:"of an offer: why it may not be sent without a reason"`
	Stopped  int          `json:"stopped" doc:"blocked prices among its lines"`
	Held     bool         `json:"held" doc:"taken back: it goes only where it is named"`
	Chosen   bool         `json:"chosen"`
	With     []string     `json:"with" doc:"what comes along, as it needs it"`
}

// LaterLines is how many lines are others from a later moment on.
type LaterLines struct {
	At      string      `json:"at"`
	Lines   int         `json:"lines"`
	Blocked int         `json:"blocked,omitempty" doc:"of them: left out then, unless a reason is given"`
	Stopped []LaterStop `json:"stopped,omitempty" doc:"the first of those, by SKU"`
}

// LaterStop is a line that is blocked at a later moment.
type LaterStop struct {
	SKU     string    `json:"sku"`
	Blocked []StopRow `json:"blocked"`
}

// mostLaterStops bounds how many lines that are blocked later are named of a piece and a moment.
const mostLaterStops = 200

// StopRow is what keeps a price or an offer from being sent, and for whom, at which quantity, it is worst.
type StopRow struct {
	Kind     string  `json:"kind"`
	Group    string  `json:"group,omitempty"`
	Customer string  `json:"customer,omitempty"`
	Quantity int     `json:"quantity"`
	Price    *string `json:"price,omitempty" doc:"what a piece costs then"`
	Left     *string `json:"left,omitempty" doc:"of a piece, net less fee and cost; negative: lost"`
}

// Difference is one product whose line in the channel is not what the book says.
type Difference struct {
	SKU       string    `json:"sku"`
	Name      string    `json:"name"`
	Kind      string    `json:"kind" enum:"new,up,down,reference,details,again,gone"`
	Was       *string   `json:"was"`
	Price     *string   `json:"price"`
	Reference *string   `json:"reference" doc:"the price that it is shown as reduced from"`
	Change    *string   `json:"change"`
	Cost      *string   `json:"cost"`
	Amount    *string   `json:"marginAmount" doc:"net less fee and cost"`
	Blocked   []StopRow `json:"blocked" doc:"it needs a reason, or is left out"`
	Held      bool      `json:"held" doc:"taken back: nothing sends it until it is released"`
	LeftOut   bool      `json:"leftOut" doc:"left out until its price or what blocks it is another, or somebody takes that back"`
	Pieces    []string  `json:"pieces" doc:"those that reach it"`
	// Details are told of rows whose price for one piece may be the same.
	Details  []telling.LineChange `json:"details,omitempty" doc:"what else it says otherwise: breaks, groups, texts"`
	Rules    []string             `json:"rules"`
	Category string               `json:"category"`
}

// DifferenceFilter leaves some of a channel's differences; what is empty narrows nothing.
type DifferenceFilter struct {
	Kind     string `query:"kind" json:"kind,omitempty" doc:"new, up, down, reference, details, again or gone; or blocked, held or left-out"`
	Rule     string `query:"rule" json:"rule,omitempty" doc:"that made the price"`
	Category string `query:"category" json:"category,omitempty" doc:"with those in it"`
	Text     string `query:"q" json:"q,omitempty" doc:"in names and SKUs"`
	Reach    string `query:"reach" json:"reach,omitempty" doc:"those that a piece reaches; none: those that no chosen one does"`
}

// Passing is what passes a filter.
type Passing struct {
	Total   int               `json:"total"`
	Blocked int               `json:"blocked" doc:"of them, those that are neither held back nor left out"`
	Held    int               `json:"held"`
	LeftOut int               `json:"leftOut"`
	Worth   publish.WorthText `json:"worth"`
}

// Facet is a value and how many rows have it.
type Facet struct {
	Value string `json:"value"`
	Count int    `json:"count"`
}

// DifferencesQuery asks for a page of a channel's differences.
type DifferencesQuery struct {
	ChannelQuery
	DifferenceFilter
	Piece   []string `query:"piece,explode" doc:"as if only these were chosen"`
	Without []string `query:"without,explode" doc:"as if all but these were chosen"`
	Loose   string   `query:"loose" enum:"no" doc:"no: without those that no chosen piece reaches"`
	After   string   `query:"after" doc:"rows behind this SKU"`
	Start   int      `query:"start" minimum:"0" doc:"rows from this place on"`
	Limit   int      `query:"limit" minimum:"0" maximum:"10000"`
}

// mostProductPieces bounds how many products are told as pieces of their own; of more the edits are told alone.
const mostProductPieces = 1000

// changes are the pieces that differ in a channel, with the edits by which products were changed.
type changes struct {
	list  []publish.Pending
	edits map[string]book.Entry // by SKU
}

// edit is the name of the products that an edit changed.
func editName(id int64) string { return "edit " + strconv.FormatInt(id, 10) }

func (s *Server) changesOf(ctx context.Context, list []publish.Pending) (changes, error) {
	c := changes{list: list}
	var skus []string
	for i := range list {
		if list[i].Kind == book.Products {
			skus = append(skus, list[i].Code)
		}
	}
	var err error
	c.edits, err = s.Store.LastEdits(ctx, skus)
	return c, err
}

// piecesNamed are the pieces that some names stand for, those of edits taken apart. location says where the names
// stand.
func (s *Server) piecesNamed(
	ctx context.Context,
	e *publish.Edition,
	names []string,
	location string,
) ([]pieces.Key, error) {
	keys := []pieces.Key{}
	var c *changes
	for i, name := range names {
		number, isEdit := strings.CutPrefix(name, "edit ")
		if !isEdit {
			k, err := pieces.Parse(name)
			if err != nil {
				return nil, invalid(fmt.Sprintf("%s[%d]", location, i), upper(err.Error())+".")
			}
			keys = append(keys, k)
			continue
		}
		if e != nil && c == nil {
			list := make([]publish.Pending, len(e.Pieces))
			for k, p := range e.Pieces {
				list[k].Piece = p
			}
			found, err := s.changesOf(ctx, list)
			if err != nil {
				return nil, err
			}
			c = &found
		}
		before := len(keys)
		if c != nil {
			for _, p := range c.list {
				if entry, known := c.edits[p.Code]; p.Kind == book.Products && known && strconv.FormatInt(entry.ID, 10) == number {
					keys = append(keys, p.Key)
				}
			}
		}
		if len(keys) == before {
			return nil, invalid(fmt.Sprintf("%s[%d]", location, i),
				fmt.Sprintf("There are no unpublished products of %q in this channel.", name))
		}
	}
	return keys, nil
}

// choice is what a query chooses.
func (s *Server) choice(
	ctx context.Context,
	snap *book.Snapshot,
	channel string,
	only, without []string,
) (publish.Choice, error) {
	all := publish.Choice{All: true}
	if only == nil && without == nil {
		return all, nil
	}
	e, err := s.Desk.Published(ctx, snap, channel)
	if err != nil {
		return all, err
	}
	if only != nil {
		keys, err := s.piecesNamed(ctx, e, only, "piece")
		return publish.Choice{Keys: keys}, err
	}
	out, err := s.piecesNamed(ctx, e, without, "without")
	if err != nil || e == nil {
		return all, err
	}
	c := publish.Choice{}
	for _, p := range e.Pieces {
		if !e.Held[p.Key] && !slices.Contains(out, p.Key) {
			c.Keys = append(c.Keys, p.Key)
		}
	}
	return c, nil
}

// passes tells which differences a filter leaves.
func (f *DifferenceFilter) passes(snap *book.Snapshot) func(d *publish.Difference) bool {
	words := strings.Fields(strings.ToLower(f.Text))
	return func(d *publish.Difference) bool {
		switch {
		case f.Kind == "blocked" && (!d.Blocked() || d.Held || d.LeftOut), f.Kind == "held" && !d.Held,
			f.Kind == "left-out" && !d.LeftOut,
			f.Kind != "" && f.Kind != "blocked" && f.Kind != "held" && f.Kind != "left-out" && f.Kind != string(d.Kind),
			f.Rule != "" && !slices.Contains(d.Rules, f.Rule):
			return false
		}
		if c := categoryOf(snap, d); f.Category != "" && c != f.Category && !strings.HasPrefix(c, f.Category+"/") {
			return false
		}
		text := strings.ToLower(d.Name + " " + d.SKU)
		return !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(text, w) })
	}
}

// categoryOf is the category of a difference's product; "" where that is no longer in the book.
func categoryOf(snap *book.Snapshot, d *publish.Difference) string {
	if n, exists := snap.Engine.ProductNumber(d.SKU); exists {
		return snap.Engine.Products()[n].Category
	}
	return ""
}

func (s *Server) channelDifferences(ctx context.Context, in *DifferencesQuery) (ChannelDifferences, error) {
	snap := s.newest(ctx)
	channel := snap.Channel(in.Channel)
	if channel == nil {
		return ChannelDifferences{}, store.ErrNotFound
	}
	choice, err := s.choice(ctx, snap, in.Channel, in.Piece, in.Without)
	if err != nil {
		return ChannelDifferences{}, err
	}
	d, err := s.Desk.Pending(ctx, snap, in.Channel, choice)
	if err != nil {
		return ChannelDifferences{}, err
	}
	links, err := s.Store.Links(ctx)
	if err != nil {
		return ChannelDifferences{}, err
	}
	link, connected := links[in.Channel]
	out := ChannelDifferences{Version: snap.Version, Channel: in.Channel, Name: channel.Name, Connected: connected,
		Page: link.Page(), Currency: d.Currency, At: d.At.String(), First: d.First, Total: len(d.Rows), Same: d.Same,
		Unpriced: d.Unpriced, Rules: len(d.Rules.Rules) + len(d.Rules.Withdraw), Rows: []Difference{}, Kinds: []KindCount{},
		Pieces: []PieceRow{}}
	if in.After == "" && in.Start == 0 { // they are the same on each page
		if out.Pieces, err = s.pieceRows(ctx, d); err != nil {
			return out, err
		}
	}
	loose := func(row int) bool {
		return !slices.ContainsFunc(d.Of[row], func(i int) bool { return d.All[i].Chosen })
	}
	reach := func(int) bool { return true }
	if in.Reach == "none" {
		reach = loose
	} else if in.Reach != "" {
		e, err := s.Desk.Published(ctx, snap, in.Channel)
		if err != nil {
			return out, err
		}
		keys, err := s.piecesNamed(ctx, e, []string{in.Reach}, "reach")
		if err != nil {
			return out, err
		}
		reach = func(row int) bool {
			return slices.ContainsFunc(d.Of[row], func(i int) bool { return slices.Contains(keys, d.All[i].Key) })
		}
	}
	limit := in.Limit
	if limit == 0 {
		limit = 1000
	}
	kinds, made, within := map[publish.Kind]int{}, map[string]int{}, map[string]int{}
	worth, err := s.Desk.Worth(ctx, snap, in.Channel)
	if err != nil {
		return out, err
	}
	passes, place := in.passes(snap), 0
	for i := range d.Rows {
		r := &d.Rows[i]
		if loose(i) {
			if out.Loose++; in.Loose != "" {
				out.Total--
				continue
			}
		}
		kinds[r.Kind]++
		switch {
		case r.Held:
			out.Held++
		case r.LeftOut:
			out.LeftOut++
		default:
			if out.Going++; r.Blocked() {
				out.Blocked++
			}
		}
		for _, code := range r.Rules {
			made[code]++
		}
		for c := categoryOf(snap, r); c != ""; {
			within[c]++
			end := strings.LastIndexByte(c, '/')
			c = c[:max(end, 0)]
		}
		if !passes(r) || !reach(i) {
			continue
		}
		out.Of.Total++
		worth.Add(r)
		switch {
		case r.Held:
			out.Of.Held++
		case r.LeftOut:
			out.Of.LeftOut++
		case r.Blocked():
			out.Of.Blocked++
		}
		place++
		switch {
		case r.SKU <= in.After || place <= in.Start:
		case len(out.Rows) < limit:
			row := differenceRow(snap, d.Differences, r)
			for _, p := range d.Of[i] {
				row.Pieces = append(row.Pieces, d.All[p].String())
			}
			out.Rows = append(out.Rows, row)
		case out.Next == "":
			out.Next = out.Rows[limit-1].SKU
		}
	}
	if err := s.addDetails(ctx, snap, in.Channel, choice, d, out.Rows); err != nil {
		return out, err
	}
	out.Of.Worth, out.Made, out.Within = worth.Text(d.Digits), facets(made), facets(within)
	for _, k := range []publish.Kind{publish.Down, publish.Up, publish.New, publish.Gone, publish.Reference,
		publish.Details, publish.Again} {
		if kinds[k] > 0 {
			out.Kinds = append(out.Kinds, KindCount{string(k), kinds[k]})
		}
	}
	return out, nil
}

// mostDetailed bounds of how many rows of a page it is told what else they say.
const mostDetailed = 500

// addDetails says what rows say otherwise beside the price of one piece.
func (s *Server) addDetails(ctx context.Context, snap *book.Snapshot, channel string, c publish.Choice,
	d *publish.Pendings, rows []Difference) error {
	at := map[string]int{}
	for i := range rows {
		if len(at) < mostDetailed && rows[i].Was != nil && rows[i].Price != nil && !rows[i].Held {
			at[rows[i].SKU] = i
		}
	}
	if len(at) == 0 {
		return nil
	}
	var some []publish.Difference
	for i := range d.Rows {
		if _, wanted := at[d.Rows[i].SKU]; wanted {
			some = append(some, d.Rows[i])
		}
	}
	found, err := s.Desk.Details(ctx, snap, channel, c, some)
	for sku, list := range found {
		rows[at[sku]].Details = list
	}
	return err
}

// pieceRows are the pieces that differ in a channel, then the edits of products, newest first.
func (s *Server) pieceRows(ctx context.Context, d *publish.Pendings) ([]PieceRow, error) {
	c, err := s.changesOf(ctx, d.All)
	if err != nil {
		return nil, err
	}
	list := []PieceRow{}
	of := map[int64]*PieceRow{}
	later := map[int64]map[pricing.Moment]publish.LaterLines{}
	products := 0
	for i := range d.All {
		if d.All[i].Kind == book.Products {
			products++
		}
	}
	for i := range d.All {
		p := &d.All[i]
		row := pieceRow(p, d.Digits)
		if p.Kind != book.Products {
			list = append(list, row)
			continue
		}
		if entry, known := c.edits[p.Code]; known {
			row.Edit = editName(entry.ID)
			e := of[entry.ID]
			if e == nil {
				e = &PieceRow{Piece: row.Edit, Name: entry.Summary, Change: string(pieces.Changed), Later: []LaterLines{},
					Blocked: []StopRow{}, With: []string{}, Held: true, Chosen: true}
				of[entry.ID], later[entry.ID] = e, map[pricing.Moment]publish.LaterLines{}
			}
			e.Products++
			e.Held, e.Chosen = e.Held && p.Held, e.Chosen && p.Chosen
			e.Stopped += p.Stopped
			for _, l := range p.Later {
				sum := later[entry.ID][l.At]
				sum.Lines += l.Lines
				sum.Stopped = merged(sum.Stopped, l.Stopped)
				later[entry.ID][l.At] = sum
			}
			for _, w := range row.With {
				if !slices.Contains(e.With, w) {
					e.With = append(e.With, w)
				}
			}
		}
		if products <= mostProductPieces {
			list = append(list, row)
		}
	}
	for i := range d.Rows { // a price that several products of an edit reach is one
		seen := map[int64]bool{}
		for _, place := range d.Of[i] {
			if p := &d.All[place]; p.Kind == book.Products {
				if entry, known := c.edits[p.Code]; known && !seen[entry.ID] {
					seen[entry.ID] = true
					of[entry.ID].Lines++
				}
			}
		}
	}
	for _, id := range slices.Backward(slices.Sorted(maps.Keys(of))) {
		for _, at := range slices.Sorted(maps.Keys(later[id])) {
			sum := later[id][at]
			sum.At = at
			of[id].Later = append(of[id].Later, laterLines(&sum, d.Digits))
		}
		list = append(list, *of[id])
	}
	return list, nil
}

func pieceRow(p *publish.Pending, digits int) PieceRow {
	row := PieceRow{Piece: p.String(), Name: p.Name, Change: string(p.Change), Lines: p.Lines, Stopped: p.Stopped,
		Held: p.Held, Chosen: p.Chosen, Later: []LaterLines{}, Blocked: stopRows(p.Blocked, digits), With: []string{}}
	if p.Was != "" {
		row.Was = pieces.Key{Kind: p.Kind, Code: p.Was}.String()
	}
	for _, l := range p.Later {
		row.Later = append(row.Later, laterLines(&l, digits))
	}
	for _, w := range p.With {
		row.With = append(row.With, w.String())
	}
	return row
}

func laterLines(l *publish.LaterLines, digits int) LaterLines {
	out := LaterLines{At: l.At.String(), Lines: l.Lines, Blocked: len(l.Stopped)}
	for _, sku := range slices.Sorted(maps.Keys(l.Stopped)) {
		if len(out.Stopped) == mostLaterStops {
			break
		}
		out.Stopped = append(out.Stopped, LaterStop{sku, stopRows(l.Stopped[sku], digits)})
	}
	return out
}

// merged are the stops of two maps; the first one grows.
func merged(a, b map[string][]publish.Stop) map[string][]publish.Stop {
	if a == nil {
		a = map[string][]publish.Stop{}
	}
	maps.Copy(a, b)
	return a
}

func stopRows(stops []publish.Stop, digits int) []StopRow {
	rows := []StopRow{}
	for _, s := range stops {
		row := StopRow{Kind: string(s.Kind), Group: s.Group, Customer: s.Customer, Quantity: s.Quantity,
			Price: fixed(s.Price, digits)}
		if s.Left != nil {
			left := s.Left.Round(digits, money.HalfUp)
			row.Left = fixed(&left, digits)
		}
		rows = append(rows, row)
	}
	return rows
}

// facets are values with their counts, by value.
func facets(counts map[string]int) []Facet {
	list := []Facet{}
	for _, value := range slices.Sorted(maps.Keys(counts)) {
		list = append(list, Facet{value, counts[value]})
	}
	return list
}

func differenceRow(snap *book.Snapshot, d *publish.Differences, r *publish.Difference) Difference {
	row := Difference{SKU: r.SKU, Name: r.Name, Kind: string(r.Kind), Was: fixed(r.Was, d.Digits),
		Price: fixed(r.Price, d.Digits), Reference: fixed(r.Reference, d.Digits), Cost: fixed(r.Cost, d.Digits),
		Amount: fixed(r.Margin, d.Digits), Held: r.Held, LeftOut: r.LeftOut, Blocked: stopRows(r.Stops, d.Digits),
		Pieces: []string{}, Rules: append([]string{}, r.Rules...)}
	if n, exists := snap.Engine.ProductNumber(r.SKU); exists {
		row.Category = snap.Engine.Products()[n].Category
	}
	if r.Was != nil && r.Price != nil {
		change := r.Price.Sub(*r.Was)
		row.Change = fixed(&change, d.Digits)
	}
	return row
}
