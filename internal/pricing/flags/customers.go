package flags

import (
	"maps"
	"slices"
	"strings"

	"dogbane/internal/pricing"
)

// told is what the audiences of a book look at in a customer.
type told struct {
	groups, customers map[string]bool
	attrs             map[string]map[string]bool // values by name
}

func (t *told) read(a *pricing.Audience) {
	if a == nil {
		return
	}
	for _, g := range a.Groups {
		t.groups[g] = true
	}
	for _, c := range a.Customers {
		t.customers[c] = true
	}
	for name, values := range a.CustomerAttr {
		if t.attrs[name] == nil {
			t.attrs[name] = map[string]bool{}
		}
		for _, v := range values {
			t.attrs[name][v] = true
		}
	}
}

// class is a text that is the same for customers whom no audience tells apart: they pay the same everywhere.
func (t *told) class(c *pricing.Customer) string {
	var parts []string
	if t.customers[c.Code] {
		parts = append(parts, "customer", c.Code)
	}
	groups := slices.DeleteFunc(slices.Clone(c.Groups), func(g string) bool { return !t.groups[g] })
	slices.Sort(groups)
	for _, g := range slices.Compact(groups) {
		parts = append(parts, "group", g)
	}
	for _, name := range slices.Sorted(maps.Keys(c.Attrs)) {
		if value := c.Attrs[name]; t.attrs[name][value] {
			parts = append(parts, "attr", name, value)
		}
	}
	return strings.Join(parts, "\x00") // no code holds it; an attribute that does is told apart too finely at worst
}

// customersToAsk are the first customers of each class that rules which may take part can tell apart.
func customersToAsk(book *pricing.Book, with []string) []string {
	t := &told{groups: map[string]bool{}, customers: map[string]bool{}, attrs: map[string]map[string]bool{}}
	for i := range book.Rules {
		if r := &book.Rules[i]; r.Status == pricing.On || slices.Contains(with, r.Code) {
			t.read(r.Audience)
		}
	}
	for i := range book.Campaigns {
		if c := &book.Campaigns[i]; c.Status == pricing.On || slices.Contains(with, c.Code) {
			t.read(c.Audience)
		}
	}
	var codes []string
	seen := map[string]bool{}
	for i := range book.Customers {
		if class := t.class(&book.Customers[i]); !seen[class] {
			seen[class] = true
			codes = append(codes, book.Customers[i].Code)
		}
	}
	return codes
}
