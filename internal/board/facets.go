package board

import (
	"maps"
	"slices"
	"strings"

	"dogbane/internal/pricing"
)

// Facets are the values that selections can name.
type Facets struct {
	Categories []string `json:"categories" doc:"paths, those in between too"`
	Brands     []string `json:"brands"`
	Tags       []string `json:"tags"`
	Suppliers  []string `json:"suppliers"`
	Types      []string `json:"types"`
	TaxClasses []string `json:"taxClasses"`
	Styles     []string `json:"styles" doc:"at most 2000"`
	Attrs      []string `json:"attrs" doc:"names of attributes"`
	Levels     []string `json:"levels" doc:"names of price levels"`
	Costs      []string `json:"costs" doc:"names of further costs"`
	Currencies []string `json:"currencies" doc:"of the channels"`
	Countries  []string `json:"countries" doc:"of channels, and those that audiences name"`
	LiveTags   []string `json:"liveTags" doc:"that rules publish while they are live"`
	Buyers     []Facet  `json:"buyers" doc:"attributes of customers, with those values that customers have or audiences name"`
}

// Facet is a name with the values that it may have.
type Facet struct {
	Name   string   `json:"name"`
	Values []string `json:"values"`
}

const stylesShown = 2000

// FacetsOf are the values that selections of a book can name.
func FacetsOf(b *pricing.Book) Facets {
	sets := map[string]map[string]bool{}
	add := func(kind, value string) {
		if value == "" {
			return
		}
		if sets[kind] == nil {
			sets[kind] = map[string]bool{}
		}
		sets[kind][value] = true
	}
	for i := range b.Products {
		p := b.Products[i]
		for path := p.Category; path != "" && !sets["category"][path]; path = path[:max(strings.LastIndex(path, "/"), 0)] {
			add("category", path)
		}
		add("brand", p.Brand)
		add("supplier", p.Supplier)
		add("type", p.Type)
		if len(sets["style"]) < stylesShown {
			add("style", p.Style)
		}
		for _, t := range p.Tags {
			add("tag", t)
		}
		for name := range p.Attrs {
			add("attr", name)
		}
		for name := range p.Levels {
			add("level", name)
		}
		for name := range p.Costs {
			add("cost", name)
		}
	}
	for class := range b.Settings.TaxRates {
		add("taxClass", class)
	}
	add("currency", b.Settings.Currency)
	for i := range b.Channels {
		add("currency", b.Channels[i].Currency)
		add("country", b.Channels[i].Country)
	}
	attrs := map[string]map[string]bool{}
	attr := func(name, value string) {
		if attrs[name] == nil {
			attrs[name] = map[string]bool{}
		}
		attrs[name][value] = true
	}
	audience := func(a *pricing.Audience) {
		if a == nil {
			return
		}
		for _, c := range a.Countries {
			add("country", c)
		}
		for name, values := range a.CustomerAttr {
			for _, v := range values {
				attr(name, v)
			}
		}
	}
	for i := range b.Rules {
		audience(b.Rules[i].Audience)
		if t := b.Rules[i].LiveTags; t != nil {
			for _, tag := range t.Add {
				add("liveTag", tag)
			}
		}
	}
	for i := range b.Campaigns {
		audience(b.Campaigns[i].Audience)
	}
	for i := range b.Customers {
		for name, value := range b.Customers[i].Attrs {
			attr(name, value)
		}
	}
	buyers := []Facet{}
	for _, name := range slices.Sorted(maps.Keys(attrs)) {
		buyers = append(buyers, Facet{name, sorted(attrs[name])})
	}
	return Facets{sorted(sets["category"]), sorted(sets["brand"]), sorted(sets["tag"]), sorted(sets["supplier"]),
		sorted(sets["type"]), sorted(sets["taxClass"]),
		sorted(sets["style"]), sorted(sets["attr"]), sorted(sets["level"]), sorted(sets["cost"]), sorted(sets["currency"]),
		sorted(sets["country"]), sorted(sets["liveTag"]), buyers}
}

func sorted(set map[string]bool) []string {
	list := make([]string, 0, len(set))
	for v := range set {
		list = append(list, v)
	}
	slices.Sort(list)
	return list
}
