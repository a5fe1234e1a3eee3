package board

import (
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
		p := &b.Products[i]
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
	}
	return Facets{sorted(sets["category"]), sorted(sets["brand"]), sorted(sets["tag"]), sorted(sets["supplier"]),
		sorted(sets["type"]), sorted(sets["taxClass"]),
		sorted(sets["style"]), sorted(sets["attr"]), sorted(sets["level"]), sorted(sets["cost"]), sorted(sets["currency"])}
}

func sorted(set map[string]bool) []string {
	list := make([]string, 0, len(set))
	for v := range set {
		list = append(list, v)
	}
	slices.Sort(list)
	return list
}
