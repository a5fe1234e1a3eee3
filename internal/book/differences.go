package book

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

// Of are all items of a book as changes that make them.
func Of(b *pricing.Book) []Change {
	var list []Change
	var doc struct {
		Groups, Customers, Ranges, Ladders, Campaigns, Channels []json.RawMessage
	}
	small := *b
	small.Products, small.Rules = nil, nil
	if err := json.Unmarshal(bookfile.Encode(&small), &doc); err != nil {
		panic(fmt.Sprintf("book: %v", err))
	}
	for _, part := range []struct {
		kind string
		docs []json.RawMessage
	}{{Groups, doc.Groups}, {Customers, doc.Customers}, {Ranges, doc.Ranges}, {Ladders, doc.Ladders},
		{Campaigns, doc.Campaigns}, {Channels, doc.Channels}} {
		for _, d := range part.docs {
			var named struct{ Code string }
			if err := json.Unmarshal(d, &named); err != nil {
				panic(fmt.Sprintf("book: %v", err))
			}
			var compact bytes.Buffer
			if err := json.Compact(&compact, d); err != nil {
				panic(fmt.Sprintf("book: %v", err))
			}
			list = append(list, Change{Kind: part.kind, Code: named.Code, After: compact.Bytes()})
		}
	}
	for i := range b.Products {
		list = append(list, Change{Kind: Products, Code: b.Products[i].SKU, After: bookfile.EncodeProduct(b.Products[i])})
	}
	for i := range b.Rules {
		list = append(list, Change{Kind: Rules, Code: b.Rules[i].Code, After: bookfile.EncodeRule(&b.Rules[i])})
	}
	return list
}

// OfKind are the items of one kind but products and rules, each as a change that makes it.
func OfKind(b *pricing.Book, kind string) []Change {
	small := *b
	small.Products, small.Rules = nil, nil
	return slices.DeleteFunc(Of(&small), func(c Change) bool { return c.Kind != kind })
}

// Differences are the changes that make one book of another, in the order of the document's lists. Nothing among them
// says in which order items stand: that moves no price.
func Differences(now, next *pricing.Book) []Change {
	var list []Change
	if a, b := bookfile.EncodeSettings(&now.Settings), bookfile.EncodeSettings(&next.Settings); !bytes.Equal(a, b) {
		list = append(list, Change{Kind: Settings, Before: a, After: b})
	}
	was := map[[2]string]json.RawMessage{}
	before := Of(now)
	for _, c := range before {
		was[[2]string{c.Kind, c.Code}] = c.After
	}
	for _, c := range Of(next) {
		key := [2]string{c.Kind, c.Code}
		if old, known := was[key]; !known || !bytes.Equal(old, c.After) {
			c.Before = old
			list = append(list, c)
		}
		delete(was, key)
	}
	for _, c := range before {
		if old, gone := was[[2]string{c.Kind, c.Code}]; gone {
			list = append(list, Change{Kind: c.Kind, Code: c.Code, Before: old})
		}
	}
	return list
}
