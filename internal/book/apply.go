package book

import (
	"fmt"
	"slices"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

// Apply makes the book that changes lead to, without saving. Its errors are those of the book: the changes must leave
// it valid.
func Apply(book *pricing.Book, changes []Change) (*pricing.Book, error) {
	next := *book
	rest := slices.DeleteFunc(slices.Clone(changes), func(c Change) bool {
		return c.Kind == Products ||
			c.Kind == Measures
	})
	if slices.ContainsFunc(rest, func(c Change) bool { return c.Kind != Rules }) {
		small, err := applyToRest(book, rest)
		if err != nil {
			return nil, err
		}
		products := next.Products
		next, rest = *small, nil
		next.Products = products
	}
	if err := applyRules(&next, rest); err != nil {
		return nil, err
	}
	if err := applyProducts(&next, changes); err != nil {
		return nil, err
	}
	if err := bookfile.CheckTaxClasses(&next); err != nil {
		return nil, err
	}
	return &next, nil
}

// applyToRest changes everything but the products, by way of the document, whose reader checks all of it.
func applyToRest(book *pricing.Book, changes []Change) (*pricing.Book, error) {
	small := *book
	small.Products = nil
	settings := []byte(bookfile.EncodeSettings(&small.Settings))
	items := Of(&small)
	at := map[[2]string]int{}
	for i := range items {
		at[[2]string{items[i].Kind, items[i].Code}] = i
	}
	for _, c := range changes {
		i, exists := at[[2]string{c.Kind, c.Code}]
		switch {
		case c.Kind == Settings:
			settings = c.After
		case exists:
			items[i].After = c.After
		default:
			at[[2]string{c.Kind, c.Code}] = len(items)
			items = append(items, c)
		}
	}
	byKind := map[string][][]byte{}
	for _, item := range items {
		if item.After != nil {
			byKind[item.Kind] = append(byKind[item.Kind], item.After)
		}
	}
	return bookfile.Decode(document(string(settings), byKind))
}

func applyRules(next *pricing.Book, changes []Change) error {
	if len(changes) == 0 {
		return nil
	}
	next.Rules = slices.Clone(next.Rules)
	rules, gone := positions(next.Rules, func(r *pricing.Rule) string { return r.Code }), map[string]bool{}
	for _, c := range changes {
		if c.After == nil {
			gone[c.Code] = true
			continue
		}
		r, err := bookfile.DecodeRule(c.After, next)
		if err != nil {
			return err
		}
		put(&next.Rules, rules, c.Code, r)
	}
	next.Rules = slices.DeleteFunc(next.Rules, func(r pricing.Rule) bool { return gone[r.Code] })
	return nil
}

func applyProducts(next *pricing.Book, changes []Change) error {
	changes = slices.DeleteFunc(slices.Clone(changes), func(c Change) bool {
		return c.Kind != Products &&
			c.Kind != Measures
	})
	if len(changes) == 0 {
		return nil
	}
	decoded, errs := make([]pricing.Product, len(changes)), make([]error, len(changes))
	pricing.InParallel(len(changes), func(from, to int) {
		for i := from; i < to; i++ {
			if changes[i].After != nil && changes[i].Kind == Products {
				decoded[i], errs[i] = bookfile.DecodeProduct(changes[i].After, next)
			}
		}
	})
	next.Products = slices.Clone(next.Products)
	products := positions(next.Products, func(p **pricing.Product) string { return (*p).SKU })
	gone := map[string]bool{}
	for i, c := range changes {
		if errs[i] != nil {
			return fmt.Errorf("product %q: %w", c.Code, errs[i])
		}
		switch {
		case c.Kind == Measures:
			at, exists := products[c.Code]
			if !exists {
				continue // it left the book; nothing is counted of it any more
			}
			p := *next.Products[at] // the book before keeps its own
			var err error
			if p.Stock, p.Sold, err = readMeasures(c.After); err != nil {
				return fmt.Errorf("stock and units sold of %q: %w", c.Code, err)
			}
			next.Products[at] = &p
		case c.After == nil:
			gone[c.Code] = true
		default:
			put(&next.Products, products, c.Code, &decoded[i])
		}
	}
	if len(gone) > 0 {
		next.Products = slices.DeleteFunc(next.Products, func(p *pricing.Product) bool { return gone[p.SKU] })
	}
	return nil
}

func positions[T any](items []T, key func(*T) string) map[string]int {
	at := make(map[string]int, len(items))
	for i := range items {
		at[key(&items[i])] = i
	}
	return at
}

func put[T any](items *[]T, at map[string]int, code string, item T) {
	if i, exists := at[code]; exists {
		(*items)[i] = item
		return
	}
	at[code] = len(*items)
	*items = append(*items, item)
}

// WithProducts is a book in which some products are others; those that it did not have come last.
func WithProducts(b *pricing.Book, list []pricing.Product) *pricing.Book {
	next := *b
	next.Products = slices.Clone(b.Products)
	at := positions(next.Products, func(p **pricing.Product) string { return (*p).SKU })
	for i := range list {
		put(&next.Products, at, list[i].SKU, &list[i])
	}
	return &next
}
