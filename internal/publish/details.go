package publish

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/money"
)

// LineChange is one thing that a line says otherwise than the one that the channel took.
type LineChange struct {
	What     string `json:"what" doc:"price, reference, method, ask, order, name, a text's key, tags"`
	Group    string `json:"group,omitempty"`
	Quantity int    `json:"quantity,omitempty" doc:"of a price: from which on"`
	Was      string `json:"was,omitempty"`
	Is       string `json:"is,omitempty"`
}

// lineChanges are what two lines say differently but for a guest's one piece and how long they hold.
func lineChanges(was, is *Line) (list []LineChange) {
	text := func(what, group, a, b string) {
		if a != b {
			list = append(list, LineChange{What: what, Group: group, Was: a, Is: b})
		}
	}
	groups := map[string]bool{"": true}
	for _, l := range []*Line{was, is} {
		for code := range l.Groups {
			groups[code] = true
		}
	}
	for _, group := range slices.Sorted(maps.Keys(groups)) {
		a, b := was.forGroup(group), is.forGroup(group)
		text("ask", group, fmt.Sprint(a.Ask), fmt.Sprint(b.Ask))
		text("method", group, string(a.Method), string(b.Method))
		quantities := []int{1}
		for _, breaks := range [][]LineBreak{a.Breaks, b.Breaks} {
			for _, br := range breaks {
				quantities = append(quantities, br.From)
			}
		}
		slices.Sort(quantities)
		lastA, lastB := "", ""
		for _, n := range slices.Compact(quantities) {
			x, y := a.at(n), b.at(n)
			if (n > 1 || group != "") && x != y && (x != lastA || y != lastB) {
				list = append(list, LineChange{"price", group, n, x, y})
			}
			lastA, lastB = x, y
		}
	}
	order := func(l *Line) string {
		if l.Order == nil {
			return ""
		}
		return fmt.Sprintf("%d/%d", l.Order.Min, l.Order.Multiple)
	}
	tags := func(l *Line) string {
		if l.Tags == nil {
			return ""
		}
		doc, _ := json.Marshal(l.Tags) // texts
		return string(doc)
	}
	text("order", "", order(was), order(is))
	text("reference", "", was.Reference, is.Reference)
	text("as", "", was.As, is.As)
	text("name", "", was.Name, is.Name)
	text("label", "", was.Label, is.Label)
	text("message", "", was.Message, is.Message)
	text("badge", "", was.Badge, is.Badge)
	text("image", "", was.Image, is.Image)
	text("alt", "", was.Alt, is.Alt)
	text("terms", "", was.Terms, is.Terms)
	text("tags", "", tags(was), tags(is))
	if was.PerUnit != nil && is.PerUnit != nil {
		text("perUnit", "", was.PerUnit.Price, is.PerUnit.Price)
	}
	return list
}

// Details are what some rows of differences say otherwise than the lines that the channel took, by SKU.
func (d *Desk) Details(ctx context.Context, snap *book.Snapshot, channel string, c Choice, rows []Difference) (
	map[string][]LineChange, error) {
	e, err := d.Published(ctx, snap, channel)
	if err != nil {
		return nil, err
	}
	to, err := d.target(snap, channel, e, c)
	if err != nil {
		return nil, err
	}
	some := &Differences{Channel: channel, At: snap.Moment(d.now()), Rows: rows}
	if some, err = d.withLines(ctx, to.Snapshot, channel, some); err != nil {
		return nil, err
	}
	skus := make([]string, len(rows))
	is := map[string]*Line{}
	for i := range some.Rows {
		skus[i], is[some.Rows[i].SKU] = some.Rows[i].SKU, some.Rows[i].Line
	}
	took, err := d.keeper.LinesOf(ctx, channel, d.now(), skus)
	if err != nil {
		return nil, err
	}
	changes := map[string][]LineChange{}
	for i := range took {
		next := is[took[i].SKU]
		if next == nil {
			continue
		}
		digits, _ := money.Digits(took[i].Currency)
		was := Line{Price: took[i].Price.Fixed(digits)}
		if took[i].Line != nil {
			if err := json.Unmarshal(took[i].Line, &was); err != nil {
				return nil, fmt.Errorf("read what is shown of %q: %w", took[i].SKU, err)
			}
		}
		changes[took[i].SKU] = lineChanges(&was, next)
	}
	return changes, nil
}
