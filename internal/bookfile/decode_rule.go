package bookfile

import (
	"encoding/json"
	"regexp"
	"slices"
	"strings"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

func (n *node) rule() (r pricing.Rule) {
	if n.shaped("rule") == nil {
		return r
	}
	r.Code, r.Name, r.Note = n.need("code").code(), n.may("name").name(), n.may("note").text()
	if l := n.need("layer"); l != nil {
		r.Layer, _ = pricing.ParseLayer(l.oneOf("catalog", "catalog", "sale", "tier", "group", "promotion"))
	}
	if k := n.need("rank"); k != nil {
		r.Rank = k.whole(1, 1)
	}
	r.Status = pricing.Status(n.may("status").oneOf("on", "on", "off", "draft"))
	r.Campaign = n.may("campaign").text()
	r.Window, r.Audience, r.Channels = n.may("window").window(), n.may("audience").audience(), n.may("channels").texts()
	r.MinQuantity = n.may("minQuantity").whole(1, 1)
	if c := n.may("currency"); c != nil {
		r.Currency = c.currency()
	}
	r.HireMatch = n.may("hireMatch").oneOf("days", "days", "inside", "any")
	r.Then = pricing.Then(n.may("then").oneOf("", "end-layer", "end-price"))
	r.Show, r.LiveTags = n.may("show").show(), n.may("liveTags").liveTags()

	n.form()
	r.Counting = pricing.DefaultCounting()
	if n.has("breaks") {
		r.Counting = n.counting()
		r.HistoryDays = n.may("historyDays").whole(0, 1)
	}
	if w := n.where("where", n.has("effect") || n.has("ladder") || n.has("breaks") &&
		r.Counting.Count != "selection"); w != nil {
		r.Where = *w
	}
	if e := n.may("effect"); e != nil {
		effect := e.effect()
		r.Effect = &effect
	}
	if b := n.may("breaks"); b != nil {
		r.Breaks = b.breaks(r.Counting.Measure)
	}
	if l := n.may("ladder"); l != nil {
		r.Ladder = l.word()
	}
	if o := n.may("offer"); o != nil {
		if n.has("layer") && r.Layer != pricing.Promotion {
			o.fail("offers stand in the promotion layer only")
		}
		r.Offer = o.offer()
	}
	if o := n.may("order"); o != nil {
		if n.has("layer") && r.Layer != pricing.Promotion && r.Layer != pricing.GroupTerms {
			o.fail("orders stand in the promotion and group layers only")
		}
		r.Order = o.order()
	}
	r.Of = n.may("of").basis()
	if r.Of == pricing.OfCatalog && r.Layer == pricing.Catalog && n.has("layer") {
		n.child("of").fail("the price after the catalog layer is not known inside that layer")
	}
	if r.Counting.Measure == "spend" && r.Layer == pricing.Catalog && n.has("layer") {
		n.child("measure").fail("spend is counted after the catalog layer and cannot be used in it")
	}
	if on := n.may("on"); on != nil {
		r.On = []string{}
		for _, item := range on.items() {
			r.On = append(r.On, item.oneOf("base", "base", "options", "work"))
		}
	}
	r.Ending = n.may("ending").ending()
	r.MaxOff, r.Floor = n.may("maxOff").maxOff(), n.may("floor").floor()
	r.MayRaise = n.may("mayRaise").truth(false)
	return r
}

// form checks that a rule has exactly one form, and nothing that does not go with it.
func (n *node) form() {
	had := slices.DeleteFunc(slices.Clone(forms), func(f string) bool { return !n.has(f) })
	if len(had) != 1 {
		n.fail("must have exactly one of effect, breaks, ladder, offer and order")
		return
	}
	for _, key := range keysOf("rule") {
		if with, bound := goesWith[key]; bound && n.has(key) && !slices.Contains(with, had[0]) {
			n.child(key).fail("goes with %s only", either(with))
		}
	}
}

// either is "a, b or c".
func either(list []string) string {
	last := len(list) - 1
	if last == 0 {
		return list[0]
	}
	return strings.Join(list[:last], ", ") + " or " + list[last]
}

func (n *node) counting() pricing.Counting {
	c := pricing.DefaultCounting()
	c.Method = pricing.Method(n.may("method").oneOf("whole", "whole", "graduated"))
	if k := n.may("count"); k != nil {
		if _, object := k.value.(map[string]any); object {
			c.Count = "where"
			if k.shaped("rule.count") != nil {
				c.Where = k.where("where", false)
			}
		} else {
			c.Count = k.oneOf("line", "line", "style", "selection", "basket")
		}
		if c.Method == pricing.Graduated && c.Count != "line" {
			k.fail("graduated breaks count by line only")
		}
	}
	if m := n.may("measure"); m != nil {
		c.Measure = m.text()
		switch {
		case strings.HasPrefix(c.Measure, "attr:") && len(c.Measure) > len("attr:"):
		case !slices.Contains([]string{"quantity", "spend", "term", "days"}, c.Measure):
			if _, isText := m.value.(string); isText {
				m.fail("must be \"quantity\", \"spend\", \"term\", \"days\" or \"attr:NAME\"")
			}
			c.Measure = "quantity"
		case c.Method == pricing.Graduated && c.Measure != "quantity":
			m.fail("graduated breaks measure quantity only")
		}
	}
	return c
}

var effectKinds = keysOf("effect")

func (n *node) effect() (e pricing.Effect) {
	m := n.object(effectKinds...)
	if m == nil {
		return e
	}
	if len(m) != 1 {
		n.fail("must have exactly one effect, one of %s", strings.Join(effectKinds, ", "))
		return e
	}
	return n.entries()[0].effectAt()
}

// effectAt reads the effect whose kind is the node's key.
func (n *node) effectAt() (e pricing.Effect) {
	e.Kind = pricing.EffectKind(n.key)
	switch e.Kind {
	case pricing.PercentOff:
		e.Value = n.percent()
	case pricing.ToMargin:
		e.Value = n.marginPercent()
	case pricing.ToLevel:
		e.Level = n.word()
	case pricing.ToDerived:
		e.Derive = n.derive()
	default:
		e.Value = n.amount()
	}
	return e
}

func (n *node) derive() *pricing.Derive {
	d := &pricing.Derive{Basis: "net", Counts: "basket"}
	if n.shaped("derive") == nil {
		return d
	}
	d.From = n.need("from").word()
	d.Basis = n.may("basis").oneOf("net", "list", "net", "subtotal")
	if d.From == pricing.Basket {
		if n.has("basis") && d.Basis != "subtotal" {
			n.child("basis").fail("the basket has a subtotal only")
		}
		d.Basis = "subtotal"
	}
	if p := n.need("percent"); p != nil {
		d.Percent = p.amount()
	}
	d.Min, d.Max = n.may("min").amountPtr(), n.may("max").amountPtr()
	if d.Min != nil && d.Max != nil && d.Max.Less(*d.Min) {
		n.child("max").fail("is below the min")
	}
	d.Counts = n.may("counts").oneOf("basket", "basket", "owned", "both")
	return d
}

func (n *node) breaks(measure string) []pricing.Break {
	list := []pricing.Break{}
	items := n.items()
	if items != nil && len(items) == 0 {
		n.fail("must hold at least one break")
	}
	fractions := measure == "spend" || strings.HasPrefix(measure, "attr:")
	for _, item := range items {
		m := item.shaped("break")
		if m == nil {
			continue
		}
		var b pricing.Break
		if f := item.need("from"); f != nil {
			b.From = f.breakFrom(fractions)
			if k := len(list); k > 0 && !list[k-1].From.Less(b.From) {
				f.fail("must be above the from of the break before it")
			}
		}
		kinds := 0
		for _, e := range item.entries() {
			if slices.Contains(effectKinds, e.key) {
				kinds++
				b.Effect = e.effectAt()
			}
		}
		if kinds != 1 {
			item.fail("must have exactly one effect, one of %s", strings.Join(effectKinds, ", "))
		}
		list = append(list, b)
	}
	return list
}

// breakFrom is a whole number of at least 1 or, where an amount or an attribute is measured, also a decimal text.
func (n *node) breakFrom(fractions bool) money.Rat {
	if _, isNumber := n.value.(json.Number); isNumber || !fractions {
		return money.Int(int64(n.whole(1, 1)))
	}
	d, ok := n.decimal()
	if ok && d.Less(money.Int(1)) {
		n.fail("must be at least 1")
	}
	return d
}

func (n *node) basis() pricing.Basis {
	s := n.text()
	switch kind, name, further := strings.Cut(s, ":"); {
	case n == nil || slices.Contains([]string{"list", "cost", "rrp", "catalog"}, s):
	case further && name != "" && (kind == "cost" || kind == "level"):
	default:
		if _, isText := n.value.(string); isText {
			n.fail("must be \"list\", \"cost\", \"cost:NAME\", \"rrp\", \"level:NAME\" or \"catalog\"")
		}
		return ""
	}
	return pricing.Basis(s)
}

func (n *node) maxOff() *pricing.MaxOff {
	if n == nil || n.shaped("rule.maxOff") == nil {
		return nil
	}
	if n.has("percent") == n.has("amount") {
		n.fail("must have either a percent or an amount")
	}
	return &pricing.MaxOff{Percent: n.may("percent").percentPtr(), Amount: n.may("amount").amountPtr()}
}

func (n *node) floor() *pricing.Floor {
	if n == nil {
		return nil
	}
	m := n.shaped("rule.floor")
	if m == nil {
		return nil
	}
	f := &pricing.Floor{Amount: n.may("amount").amountPtr(), Cost: n.may("cost").truth(false),
		Level: n.may("level").word(), WithFee: n.may("withFee").truth(false)}
	if g := n.may("margin"); g != nil {
		margin := g.marginPercent()
		f.Margin = &margin
	}
	named := len(m)
	if n.has("withFee") {
		named--
	}
	if named != 1 || n.has("cost") && !f.Cost {
		n.fail("must be one of {\"amount\": \"5\"}, {\"margin\": \"10\"}, {\"cost\": true} and {\"level\": \"LEAST\"}")
	}
	if f.WithFee && f.Margin == nil && !f.Cost {
		n.child("withFee").fail("can only stand beside a margin or the cost")
	}
	return f
}

func (n *node) show() *pricing.Show {
	if n == nil || n.shaped("show") == nil {
		return nil
	}
	return &pricing.Show{Label: n.may("label").text(), Message: n.may("message").text(), Badge: n.may("badge").text(),
		Image: n.may("image").text(),
		Alt:   n.may("alt").text(), Terms: n.may("terms").text(), As: n.may("as").oneOf("", "reduced", "ordinary")}
}

func (n *node) liveTags() *pricing.LiveTags {
	if n == nil || n.shaped("rule.liveTags") == nil {
		return nil
	}
	return &pricing.LiveTags{Add: n.may("add").texts(), Remove: n.may("remove").texts()}
}

func (n *node) order() *pricing.Order {
	o := &pricing.Order{}
	if n.shaped("order") == nil {
		return o
	}
	o.Min, o.Multiple = n.may("min").whole(0, 1), n.may("multiple").whole(0, 1)
	o.Max, o.PerCustomer = n.may("max").whole(0, 1), n.may("perCustomer").whole(0, 1)
	if o.Max > 0 && o.Max < o.Min {
		n.child("max").fail("is below the min")
	}
	return o
}

func (n *node) offer() *pricing.Offer {
	o := &pricing.Offer{}
	if n.shaped("offer") == nil {
		return o
	}
	ids := map[string]bool{}
	for _, item := range n.may("needs").items() {
		if item.shaped("offer.needs") == nil {
			continue
		}
		need := pricing.Need{Quantity: item.may("quantity").whole(1, 1), Same: item.may("same").oneOf("", "sku", "style")}
		if id := item.need("id"); id != nil {
			need.ID = id.word()
			if ids[need.ID] {
				id.fail("is defined twice")
			} else if slices.Contains(giveWords, need.ID) {
				id.fail("is a word of the format and cannot be an id")
			}
			ids[need.ID] = true
		}
		if w := item.where("where", false); w != nil {
			need.Where = *w
		}
		o.Needs = append(o.Needs, need)
	}
	if s := n.may("spend"); s != nil && s.shaped("offer.spend") != nil {
		o.Spend = &pricing.Spend{Amount: s.need("amount").amount(), Every: s.may("every").truth(false),
			Where: pricing.Where{Field: pricing.FieldAll}}
		if s.has("where") {
			o.Spend.Where = *s.where("where", false)
		}
		if o.Spend.Every && o.Spend.Amount.Sign() == 0 && s.has("amount") {
			s.child("amount").fail("must be above 0")
		}
	}
	if a := n.may("after"); a != nil && a.shaped("offer.after") != nil {
		o.After = &pricing.After{Days: a.need("days").whole(1, 1), Where: pricing.Where{Field: pricing.FieldAll}}
		if a.has("where") {
			o.After.Where = *a.where("where", false)
		}
	}
	if c := n.may("codes"); c != nil && c.shaped("offer.codes") != nil {
		o.Codes = &pricing.Codes{Listed: c.may("listed").truth(false), Uses: c.may("uses").wholePtr(1),
			UsesPerCustomer: c.may("usesPerCustomer").wholePtr(1), GraceDays: c.may("graceDays").wholePtr(0)}
		words := c.may("words")
		if !o.Codes.Listed {
			words = c.need("words")
		}
		for _, w := range words.items() {
			if word := w.word(); word != "" && !codeWord.MatchString(word) {
				w.fail("must be 3 to 40 capital letters, digits and hyphens")
			} else {
				o.Codes.Words = append(o.Codes.Words, word)
			}
		}
	}
	if g := n.need("gives"); g != nil {
		items := g.oneOrMore()
		if items != nil && len(items) == 0 {
			g.fail("must hold at least one give")
		}
		for _, item := range items {
			o.Gives = append(o.Gives, item.give(o.Needs, ids, len(items) == 1))
		}
	}
	o.Repeat, o.MaxUnits = n.may("repeat").whole(0, 1), n.may("maxUnits").whole(0, 1)
	o.MaxOff, o.SkipReduced = n.may("maxOff").amountPtr(), n.may("skipReduced").truth(false)
	o.Stock, o.PerCustomer = n.may("stock").wholePtr(1), n.may("perCustomer").wholePtr(1)
	if o.MaxUnits > 0 && slices.ContainsFunc(o.Gives, func(g pricing.Give) bool {
		return slices.Contains(giveWords,
			g.To) && g.Where == nil
	}) {
		n.child("maxUnits").fail("bounds units given to a need or to other goods; it does not go with \"needs\", \"basket\" or \"shipping\"")
	}
	return o
}

// giveWords are what an offer gives to besides a need and other goods.
var giveWords = []string{"needs", "basket", "shipping"}

var codeWord = regexp.MustCompile(`^[A-Z0-9-]{3,40}$`)

func (n *node) give(needs []pricing.Need, ids map[string]bool, only bool) (g pricing.Give) {
	if n.shaped("give") == nil {
		return g
	}
	if to := n.need("to"); to != nil {
		if _, object := to.value.(map[string]any); object {
			if to.shaped("give.to") != nil {
				g.Where = to.where("where", false)
			}
		} else if g.To = to.word(); g.To != "" && !ids[g.To] && !slices.Contains(giveWords, g.To) {
			to.fail("must be the id of a need, \"needs\", {\"where\": ...}, \"basket\" or \"shipping\"")
		}
	}
	if u := n.may("units"); u != nil {
		if u.value == "all" {
			g.Units = pricing.AllUnits
		} else {
			g.Units = u.whole(1, 1)
		}
	}
	toNeed := slices.IndexFunc(needs, func(need pricing.Need) bool {
		return need.ID == g.To && g.Where == nil &&
			g.To != ""
	})
	switch u := n.may("units"); {
	case u == nil:
	case toNeed >= 0 && g.Units == pricing.AllUnits:
		u.fail("\"all\" goes with {\"where\": ...} only; without units all of a need are reduced")
	case toNeed >= 0 && g.Units > needs[toNeed].Quantity:
		u.fail("is above the need's quantity, %d", needs[toNeed].Quantity)
	case slices.Contains(giveWords, g.To):
		u.fail("goes with a need or {\"where\": ...} only")
	}
	effects := 0
	for _, key := range []string{"percentOff", "amountOff", "each", "forTotal"} {
		if n.has(key) {
			effects++
		}
	}
	if effects != 1 {
		n.fail("must have exactly one of percentOff, amountOff, each and forTotal")
	}
	g.PercentOff, g.AmountOff = n.may("percentOff").percentPtr(), n.may("amountOff").amountPtr()
	g.Each, g.ForTotal = n.may("each").amountPtr(), n.may("forTotal").amountPtr()
	if n.has("forTotal") && (g.To != "needs" || !only) {
		n.child("forTotal").fail("goes with \"to\": \"needs\" only, as the only give")
	}
	g.Pick = n.may("pick").oneOf("", "cheapest", "dearest", "in-turn")
	if g.Pick == "in-turn" {
		switch {
		case g.Where != nil || slices.Contains(giveWords, g.To):
			n.child("pick").fail("\"in-turn\" goes with a need only")
		case toNeed >= 0 && needs[toNeed].Same != "":
			n.child("pick").fail("\"in-turn\" does not go with a need whose units are the same")
		}
	}
	g.Of = pricing.Basis(n.may("of").oneOf("", "list", "catalog"))
	if g.Of != "" && g.PercentOff == nil {
		n.child("of").fail("goes with percentOff only")
	}
	return g
}
