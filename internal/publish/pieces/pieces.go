// Package pieces says what a published book is made of: pieces of the saved book, each brought there by a publication;
// which of them differ, what one needs of the others, and the book that some of them make. What of a book holds once it
// is saved (customers, groups, stock and the like) is no piece. Who brings pieces, and when, belongs to package
// publish.
package pieces

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

// Key names a piece: its kind as package book has it, and its code; of settings, their key.
type Key struct{ Kind, Code string }

// words are how the kinds of pieces are named, one of each.
var words = map[string]string{book.Rules: "rule", book.Campaigns: "campaign", book.Ladders: "ladder",
	book.Ranges: "range", book.Products: "product", book.Channels: "channel", book.Settings: "settings"}

// Are reports whether what is of a kind, as package book has it, is published in pieces.
func Are(kind string) bool { return words[kind] != "" }

// String is the piece as people and programs name it: "rule GLAZE-WEEK".
func (k Key) String() string { return words[k.Kind] + " " + k.Code }

// Parse reads the name of a piece.
func Parse(name string) (Key, error) {
	word, code, _ := strings.Cut(name, " ")
	for kind, w := range words {
		if w == word && code != "" {
			return Key{kind, code}, nil
		}
	}
	return Key{}, fmt.Errorf("%q names no piece: a piece is named such as \"rule GLAZE-WEEK\" or \"product GB-01\"", name)
}

// Change is what becomes of a piece.
type Change string

// The changes.
const (
	New     Change = "new"
	Changed Change = "changed"
	Gone    Change = "gone"
)

// Piece is one in which the saved book differs from a published one.
type Piece struct {
	Key
	Was    string // its code as published, where that is another: a piece that only changed its code is one
	Name   string
	Change Change
	With   []Key // what it refers to and the published book lacks: it comes along
}

// wholeOnly are keys of the settings that go only with everything.
var wholeOnly = []string{"currency", "timeZone", "pricesIncludeTax"}

// WholeOnly reports whether a piece goes only with everything.
func (k Key) WholeOnly() bool { return k.Kind == book.Settings && slices.Contains(wholeOnly, k.Code) }

// Differences are the pieces in which a saved book differs from the book published in a channel: rules first, then
// what they rest on, the channel, settings, and products by the saved book's order.
func Differences(published, saved *pricing.Book, channel string) []Piece {
	if published == saved {
		return nil
	}
	var list []Piece
	list = append(list, small(book.Rules, published.Rules, saved.Rules, func(r *pricing.Rule) (string, string, []byte) {
		return r.Code, r.Title(), bookfile.EncodeRule(r)
	})...)
	list = append(list, small(book.Campaigns, published.Campaigns, saved.Campaigns,
		func(c *pricing.Campaign) (string, string, []byte) {
			return c.Code, c.Title(), bookfile.EncodeCampaign(c)
		})...)
	list = append(list, small(book.Ladders, published.Ladders, saved.Ladders,
		func(l *pricing.Ladder) (string, string, []byte) {
			return l.Code, named(l.Name, l.Code), bookfile.EncodeLadder(l)
		})...)
	list = append(list, small(book.Ranges, published.Ranges, saved.Ranges,
		func(r *pricing.Range) (string, string, []byte) {
			return r.Code, named(r.Name, r.Code), bookfile.EncodeRange(r)
		})...)
	own := func(b *pricing.Book) []pricing.Channel {
		return slices.DeleteFunc(slices.Clone(b.Channels), func(c pricing.Channel) bool { return c.Code != channel })
	}
	list = append(list, small(book.Channels, own(published), own(saved),
		func(c *pricing.Channel) (string, string, []byte) {
			entry := *c
			entry.Limits = nil // in force once saved
			return c.Code, c.Title(), bookfile.EncodeChannel(&entry)
		})...)
	was, is := settingsOf(published), settingsOf(saved)
	for _, key := range keysOf(was, is) {
		if !bytes.Equal(was[key], is[key]) {
			list = append(list, Piece{Key: Key{book.Settings, key}, Name: key, Change: changeOf(was[key], is[key])})
		}
	}
	list = append(list, products(published, saved)...)
	l := &lacking{published: indexOf(published), saved: saved}
	for i := range list {
		if list[i].Change != Gone {
			list[i].With = l.with(list[i].Key)
		}
	}
	return list
}

func named(name, code string) string {
	if name == "" {
		return code
	}
	return name
}

func changeOf(was, is []byte) Change {
	switch {
	case was == nil:
		return New
	case is == nil:
		return Gone
	}
	return Changed
}

// small are the differences of a list that is not long.
func small[T any](kind string, was, is []T, read func(*T) (code, name string, doc []byte)) (list []Piece) {
	if len(was) == len(is) && (len(was) == 0 || &was[0] == &is[0]) {
		return nil
	}
	before, docs := map[string]*T{}, map[string][]byte{}
	for i := range was {
		code, _, _ := read(&was[i])
		before[code] = &was[i]
	}
	for i := range is {
		code, name, doc := read(&is[i])
		old := before[code]
		delete(before, code)
		if old == nil {
			docs[code] = doc
			list = append(list, Piece{Key: Key{kind, code}, Name: name, Change: New})
		} else if _, _, other := read(old); !bytes.Equal(other, doc) {
			list = append(list, Piece{Key: Key{kind, code}, Name: name, Change: Changed})
		}
	}
	for i := range was {
		code, name, doc := read(&was[i])
		if before[code] == nil {
			continue
		}
		list = gone(list, Piece{Key: Key{kind, code}, Name: name, Change: Gone}, doc, docs)
	}
	return list
}

// gone adds a piece that is gone, or finds the new one that is alike but for its code: the two are one.
func gone(list []Piece, p Piece, doc []byte, docs map[string][]byte) []Piece {
	for i := range list {
		if n := &list[i]; n.Change == New && n.Was == "" && docs[n.Code] != nil && alike(docs[n.Code], doc) {
			n.Change, n.Was = Changed, p.Code
			return list
		}
	}
	return append(list, p)
}

// alike reports whether two documents differ in their code alone.
func alike(a, b []byte) bool {
	x, err1 := book.Keys(a)
	y, err2 := book.Keys(b)
	if err1 != nil || err2 != nil || len(x) != len(y) {
		return false
	}
	for key, value := range x {
		if key != "code" && key != "sku" && !bytes.Equal(value, y[key]) {
			return false
		}
	}
	return true
}

// products are the differences of the goods.
func products(published, saved *pricing.Book) (list []Piece) {
	if sameSlice(published.Products, saved.Products) {
		return nil
	}
	was := placesOf(published.Products, saved.Products)
	seen := make([]bool, len(published.Products))
	docs := map[string][]byte{}
	for i := range saved.Products {
		p := saved.Products[i]
		switch at := was.of(i, p.SKU); {
		case at < 0:
			docs[p.SKU] = bookfile.EncodeProduct(withoutLive(p))
			list = append(list, Piece{Key: Key{book.Products, p.SKU}, Name: named(p.Name, p.SKU), Change: New})
		default:
			seen[at] = true
			if !SameProduct(published.Products[at], p) {
				list = append(list, Piece{Key: Key{book.Products, p.SKU}, Name: named(p.Name, p.SKU), Change: Changed})
			}
		}
	}
	for i := range published.Products {
		if p := published.Products[i]; !seen[i] {
			left := Piece{Key: Key{book.Products, p.SKU}, Name: named(p.Name, p.SKU), Change: Gone}
			if len(docs) == 0 {
				list = append(list, left)
			} else {
				list = gone(list, left, bookfile.EncodeProduct(withoutLive(p)), docs)
			}
		}
	}
	return list
}

// withoutLive is a product without what is in force once it is saved.
func withoutLive(p *pricing.Product) *pricing.Product {
	plain := *p
	plain.Stock, plain.Sold, plain.Rating = nil, nil, nil
	return &plain
}

func sameSlice[T any](a, b []T) bool { return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0]) }

// places finds products of one list that stand at the same place, or elsewhere, in another.
type places struct {
	list []*pricing.Product
	by   map[string]int // made where they stand elsewhere
}

// placesOf finds products in list; like is the list that is gone through.
func placesOf(list, like []*pricing.Product) *places {
	p := &places{list: list}
	n := min(len(list), len(like))
	for i := range n {
		if list[i].SKU != like[i].SKU {
			p.index()
			return p
		}
	}
	return p
}

func (p *places) index() {
	p.by = make(map[string]int, len(p.list))
	for i := range p.list {
		p.by[p.list[i].SKU] = i
	}
}

// of is the place of the product that stands at place i of the other list; -1: there is none.
func (p *places) of(i int, sku string) int {
	if p.by != nil {
		if at, is := p.by[sku]; is {
			return at
		}
		return -1
	}
	if i < len(p.list) {
		return i
	}
	return -1
}

// settingsOf are a book's settings by key.
func settingsOf(b *pricing.Book) map[string]json.RawMessage {
	keys, err := book.Keys(bookfile.EncodeSettings(&b.Settings))
	if err != nil {
		panic(fmt.Sprintf("pieces: %v", err)) // the encoder wrote it
	}
	return keys
}

func keysOf(a, b map[string]json.RawMessage) (keys []string) {
	for key := range a {
		keys = append(keys, key)
	}
	for key := range b {
		if _, both := a[key]; !both {
			keys = append(keys, key)
		}
	}
	slices.Sort(keys)
	return keys
}
