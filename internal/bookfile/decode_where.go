package bookfile

import (
	"encoding/json"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

var whereFields = keysOf("whereEntering")

// where reads the selection at a key that must be there; reduced says whether the field of that name may stand in it.
func (n *node) where(key string, reduced bool) *pricing.Where {
	w := n.need(key)
	if w == nil {
		return nil
	}
	cond := w.cond(reduced)
	return &cond
}

func (n *node) cond(reduced bool) (w pricing.Where) {
	m := n.shaped("whereEntering")
	if m == nil {
		return w
	}
	if len(m) != 1 {
		n.fail("must have exactly one key, one of %v; {\"all\": []} is every product", whereFields)
		return w
	}
	c := n.entries()[0]
	w.Field = pricing.Field(c.key)
	switch w.Field {
	case pricing.FieldAll, pricing.FieldAny:
		w.Parts = []pricing.Where{}
		for _, item := range c.items() {
			w.Parts = append(w.Parts, item.cond(reduced))
		}
	case pricing.FieldNot:
		w.Parts = []pricing.Where{c.cond(reduced)}
	case pricing.FieldAttr:
		w.Attrs = map[string]pricing.AttrTest{}
		for _, e := range c.entries() {
			e.checkKey()
			w.Attrs[e.key] = e.attrTest()
		}
		if m, object := c.value.(map[string]any); object && len(m) == 0 {
			c.fail("must name at least one attribute")
		}
	case pricing.FieldList, pricing.FieldCost, pricing.FieldStock, pricing.FieldRating, pricing.FieldSold:
		w.Bounds = c.bounds()
	case pricing.FieldReduced:
		w.Reduced = c.truth(false)
		if !reduced {
			c.fail("cannot be used here: not inside a range, a guard, a channel, an offer, or a rule whose count is \"selection\"")
		}
	default:
		w.Values = c.alternatives()
	}
	return w
}

func (n *node) attrTest() (t pricing.AttrTest) {
	switch n.value.(type) {
	case map[string]any:
		b := n.bounds()
		t.Bounds = &b
	case json.Number:
		t.Values = []string{n.attr().Text}
	default:
		t.Values = n.alternatives()
	}
	return t
}

// bounds reads {"min": "10", "max": "20"}, either of which may be absent.
func (n *node) bounds() (b pricing.Bounds) {
	if n.shaped("bounds") == nil {
		return b
	}
	end := func(c *node) *money.Rat {
		if c == nil {
			return nil
		}
		if _, isNumber := c.value.(json.Number); isNumber {
			return c.numberPtr()
		}
		d, _ := c.decimal()
		return &d
	}
	b.Min, b.Max = end(n.may("min")), end(n.may("max"))
	if b.Min == nil && b.Max == nil {
		n.fail("must have a min, a max or both")
	} else if b.Min != nil && b.Max != nil && b.Max.Less(*b.Min) {
		n.child("max").fail("is below the min")
	}
	return b
}
