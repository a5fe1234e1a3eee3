package bookfile

import (
	"fmt"
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// checkBook reports what single items cannot know: codes defined twice and references that lead nowhere. The nodes are
// walked again beside the decoded book, so that every error names its place.
func (n *node) checkBook(b *pricing.Book) {
	names := namesOf(b)
	twice := func(key, field string) {
		seen := map[string]bool{}
		for _, item := range n.may(key).items() {
			c := item.may(field)
			code, isText := "", false
			if c != nil {
				code, isText = c.value.(string)
			}
			if isText && code != "" && seen[code] {
				c.fail("is defined twice")
			}
			seen[code] = true
		}
	}
	for _, key := range []string{"groups", "customers", "ranges", "ladders", "campaigns", "channels", "rules"} {
		twice(key, "code")
	}
	twice("products", "sku")
	for i, c := range n.may("customers").items() {
		if i < len(b.Customers) && c.has("groups") {
			c.child("groups").known(names.groups, "group")
		}
	}
	for _, r := range n.may("ranges").items() {
		r.may("where").checkRanges(names)
	}
	for _, l := range n.may("ladders").items() {
		l.checkCount(names)
	}
	for _, c := range n.may("campaigns").items() {
		c.checkAudience(names)
		c.may("channels").known(names.channels, "channel")
	}
	for _, c := range n.may("channels").items() {
		if g := c.may("group"); g != nil {
			g.knownOne(names.groups, "group")
		}
		c.may("where").checkRanges(names)
	}
	taxes := b.Settings.TaxRates
	if s := n.may("settings"); s != nil {
		if t := s.may("shippingTaxClass"); t != nil {
			t.knownTax(taxes)
		}
		for _, c := range s.may("countries").entries() {
			for _, class := range c.may("taxRates").entries() {
				if _, rated := taxes[class.key]; !rated {
					class.fail("this tax class has no rate in settings.taxRates")
				}
			}
		}
		for _, g := range s.may("guards").items() {
			g.may("where").checkRanges(names)
		}
	}
	for _, p := range n.may("products").items() {
		if t := p.may("taxClass"); t != nil {
			t.knownTax(taxes)
		}
	}
	for _, r := range n.may("rules").items() {
		r.checkRule(names)
	}
}

// names are the codes that a book defines, and what rules of it must fit into.
type names struct {
	groups, customers, ranges, campaigns, channels map[string]bool
	ladders                                        map[string]*pricing.Ladder
	modes                                          map[pricing.Layer]pricing.LayerMode
}

func namesOf(b *pricing.Book) *names {
	s := &names{groups: map[string]bool{}, customers: map[string]bool{}, ranges: map[string]bool{},
		campaigns: map[string]bool{},
		channels:  map[string]bool{}, ladders: map[string]*pricing.Ladder{}, modes: map[pricing.Layer]pricing.LayerMode{}}
	for _, g := range b.Groups {
		s.groups[g.Code] = true
	}
	for _, c := range b.Customers {
		s.customers[c.Code] = true
	}
	for _, r := range b.Ranges {
		s.ranges[r.Code] = true
	}
	for i := range b.Ladders {
		s.ladders[b.Ladders[i].Code] = &b.Ladders[i]
	}
	for _, c := range b.Campaigns {
		s.campaigns[c.Code] = true
	}
	for _, c := range b.Channels {
		s.channels[c.Code] = true
	}
	for _, l := range b.Settings.Layers {
		s.modes[l.Layer] = l.Mode
	}
	return s
}

// checkRule reports what a rule refers to and the book does not hold, and what its layer does not allow.
func (n *node) checkRule(s *names) {
	if _, object := n.value.(map[string]any); !object {
		return
	}
	if c := n.may("campaign"); c != nil {
		c.knownOne(s.campaigns, "campaign")
	}
	n.checkAudience(s)
	n.may("channels").known(s.channels, "channel")
	n.may("where").checkRanges(s)
	n.checkCount(s)
	layerName, _ := n.child("layer").value.(string)
	layer, named := pricing.ParseLayer(layerName)
	if l := n.may("ladder"); l != nil {
		if code, isText := l.value.(string); isText && code != "" {
			ladder := s.ladders[code]
			switch {
			case ladder == nil:
				l.fail("there is no ladder with this code")
			case ladder.Counting.Measure == "spend" && named && layer == pricing.Catalog:
				l.fail("this ladder measures spend, which is counted after the catalog layer")
			case ladder.Counting.Count == "selection":
				n.may("where").refuseReduced()
			}
		}
	}
	if o := n.may("offer"); o != nil {
		for _, need := range o.may("needs").items() {
			need.may("where").checkRanges(s)
		}
		o.may("spend").may("where").checkRanges(s)
		o.may("after").may("where").checkRanges(s)
		for _, g := range o.may("gives").oneOrMore() {
			g.may("to").may("where").checkRanges(s)
		}
	}
	if named && s.modes[layer] == pricing.Add && !n.has("offer") && !n.has("order") {
		for _, key := range []string{"of", "ending", "floor", "maxOff", "breaks", "ladder"} {
			if c := n.may(key); c != nil {
				c.fail("cannot stand in a layer whose mode is \"add\"")
			}
		}
		if e := n.may("effect"); e != nil {
			for _, kind := range e.entries() {
				if !slices.Contains([]string{"percentOff", "percentOn", "amountOff", "amountOn"}, kind.key) {
					e.fail("a layer whose mode is \"add\" takes percent and amount effects only")
				}
			}
		}
	}
}

func (n *node) checkCount(s *names) {
	if c := n.may("count"); c != nil {
		c.may("where").checkRanges(s)
	}
}

func (n *node) checkAudience(s *names) {
	if a := n.may("audience"); a != nil {
		a.may("groups").known(s.groups, "group")
		a.may("customers").known(s.customers, "customer")
	}
}

// known reports the texts of a list that are not among the codes. Wrong types were reported when the list was read.
func (n *node) known(codes map[string]bool, what string) {
	if n == nil || !isList(n.value) {
		return
	}
	for _, item := range n.items() {
		item.knownOne(codes, what)
	}
}

func (n *node) knownOne(codes map[string]bool, what string) {
	if code, isText := n.value.(string); isText && code != "" && !codes[code] {
		n.fail("there is no %s with this code", what)
	}
}

func (n *node) knownTax(rates map[string]money.Rat) {
	if class, isText := n.value.(string); isText {
		if _, rated := rates[class]; !rated {
			n.fail("this tax class has no rate in settings.taxRates")
		}
	}
}

// CheckTaxClasses reports the products whose tax class has no rate in the book's settings. It is for a book whose
// products and settings were read apart from each other.
func CheckTaxClasses(b *pricing.Book) error {
	var errs Errors
	for i := range b.Products {
		p := b.Products[i]
		if _, rated := b.Settings.TaxRates[p.TaxClass]; p.TaxClass != "" && !rated {
			errs = append(errs, Error{Path: fmt.Sprintf("products[%d].taxClass", i), Value: p.TaxClass,
				Problem: "this tax class has no rate in settings.taxRates"})
		}
	}
	if errs != nil {
		return errs
	}
	return nil
}

// checkRanges reports ranges in a condition that do not exist.
func (n *node) checkRanges(s *names) {
	n.walk(func(field *node) {
		if field.key != "range" {
			return
		}
		if isList(field.value) {
			field.known(s.ranges, "range")
		} else {
			field.knownOne(s.ranges, "range")
		}
	})
}

// refuseReduced reports the field reduced in the selection of a rule whose ladder counts by selection.
func (n *node) refuseReduced() {
	n.walk(func(field *node) {
		if field.key == "reduced" {
			field.fail("cannot be used by a rule whose count is \"selection\"")
		}
	})
}

// walk visits the single fields of a condition.
func (n *node) walk(visit func(*node)) {
	if n == nil {
		return
	}
	m, ok := n.value.(map[string]any)
	if !ok {
		return
	}
	for key, v := range m {
		c := n.child(key)
		switch key {
		case "all", "any":
			if isList(v) {
				for _, item := range c.items() {
					item.walk(visit)
				}
			}
		case "not":
			c.walk(visit)
		default:
			visit(c)
		}
	}
}
