package telling

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"

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
func LineChanges(was, is *Line) (list []LineChange) {
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

// forGroup is what a group, or guests with "", pay by a line.
func (l *Line) forGroup(code string) GroupPrices {
	if own, is := l.Groups[code]; is {
		return own
	}
	return GroupPrices{l.Price, l.Breaks, l.Method, l.Ask}
}

// at is what the entry says that a quantity reaches.
func (g *GroupPrices) at(quantity int) string {
	price := g.Price
	for _, b := range g.Breaks {
		if b.From <= quantity {
			price = b.Price
		}
	}
	return price
}

// further reports whether a price moves by more than some percent.
func further(was, is, over money.Rat) bool {
	if was.Sign() == 0 {
		return is.Sign() != 0
	}
	by := is.Sub(was)
	if by.Sign() < 0 {
		by = money.Int(0).Sub(by)
	}
	return over.Less(by.Div(was).Mul(money.Int(100)))
}

// lineMoves holds what two lines say of prices against each other.
func LineMoves(was, is *Line, over money.Rat) (bool, error) {
	groups := map[string]bool{"": true}
	for code := range was.Groups {
		groups[code] = true
	}
	for code := range is.Groups {
		groups[code] = true
	}
	for code := range groups {
		a, b := was.forGroup(code), is.forGroup(code)
		quantities := []int{1}
		for _, list := range [][]LineBreak{a.Breaks, b.Breaks} {
			for _, br := range list {
				quantities = append(quantities, br.From)
			}
		}
		for _, quantity := range quantities {
			x, err := money.Parse(a.at(quantity))
			if err != nil {
				return false, fmt.Errorf("read a price: %w", err)
			}
			y, err := money.Parse(b.at(quantity))
			if err != nil {
				return false, fmt.Errorf("read a price: %w", err)
			}
			if further(x, y, over) {
				return true, nil
			}
		}
	}
	return false, nil
}

func EntriesMove(was, is []entry, over money.Rat) bool {
	if len(was) == 0 || len(is) == 0 {
		return false
	}
	at := func(list []entry, quantity int) money.Rat {
		minor := list[0].minor
		for _, e := range list {
			if e.from <= quantity {
				minor = e.minor
			}
		}
		return money.Int(minor)
	}
	for _, list := range [][]entry{was, is} {
		for _, e := range list {
			if further(at(was, e.from), at(is, e.from), over) {
				return true
			}
		}
	}
	return false
}
