// Package telling says what a channel is told of one product at a moment, as section 2 of docs/publication.md writes
// it: its line with prices by quantity and group, what reductions are shown against, how long it holds, at which
// moments it differs by itself, the rules that go along, and where two books tell otherwise. It knows a book and a
// channel, and nothing of what was sent.
package telling

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"sync"

	"dogbane/internal/pricing"
)

// Line is what a channel is told of one product, as it travels: amounts are decimal texts with the currency's digits,
// moments carry the book's offset from UTC.
type Line struct {
	SKU           string                 `json:"sku"`
	Name          string                 `json:"name,omitempty"`
	Price         string                 `json:"price"`
	Currency      string                 `json:"currency"`
	Tax           string                 `json:"tax" enum:"included,excluded"`
	Reference     string                 `json:"reference,omitempty" doc:"the price that it is shown as reduced from"`
	ReferenceKind string                 `json:"referenceKind,omitempty" enum:"lowest30,catalog,list,rrp"`
	As            string                 `json:"as,omitempty" enum:"reduced,ordinary"`
	Until         string                 `json:"until,omitempty" doc:"when it will differ by itself"`
	Breaks        []LineBreak            `json:"breaks,omitempty"`
	Method        Method                 `json:"method,omitempty" enum:"brackets" doc:"how the entries make a line's total; absent: each piece costs what the line's quantity reaches"`
	Ask           bool                   `json:"ask,omitempty" doc:"what more than one piece costs has to be asked for"`
	Groups        map[string]GroupPrices `json:"groups,omitempty" doc:"by code, where they differ from a guest's"`
	PerUnit       *PerUnit               `json:"perUnit,omitempty"`
	Order         *LineOrder             `json:"order,omitempty"`
	Label         string                 `json:"label,omitempty"`
	Message       string                 `json:"message,omitempty"`
	Badge         string                 `json:"badge,omitempty"`
	Image         string                 `json:"image,omitempty"`
	Alt           string                 `json:"alt,omitempty"`
	Terms         string                 `json:"terms,omitempty"`
	Tags          *LineTags              `json:"tags,omitempty"`
}

// LineBreak is the price of the last unit of a line of at least so many.
type LineBreak struct {
	From  int    `json:"from"`
	Price string `json:"price"`
}

// Method says how the prices of a line make the total of so many pieces.
type Method string

// The methods.
const (
	EachReached Method = ""         // every piece costs the entry that the line's quantity reaches
	Brackets    Method = "brackets" // each piece costs the entry that this very piece reaches
)

// GroupPrices are what a group pays.
type GroupPrices struct {
	Price  string      `json:"price"`
	Breaks []LineBreak `json:"breaks,omitempty"`
	Method Method      `json:"method,omitempty" enum:"brackets"`
	Ask    bool        `json:"ask,omitempty"`
}

// PerUnit is the price of a litre, a kilogram and the like.
type PerUnit struct {
	Price string `json:"price"`
	Of    string `json:"of"`
}

// LineOrder is how many may be ordered.
type LineOrder struct {
	Min      int `json:"min"`
	Multiple int `json:"multiple"`
}

// LineTags are put on a product, and taken off it, while its price stands.
type LineTags struct {
	Add    []string `json:"add,omitempty"`
	Remove []string `json:"remove,omitempty"`
}

func tagsOf(t pricing.LiveTags) *LineTags {
	if t.None() {
		return nil
	}
	return &LineTags{t.Add, t.Remove}
}

// Digest is the same for two lines only if they differ in nothing but how long they hold.
type Digest [16]byte

// Digest digests a line.
func (l Line) Digest() (d Digest) {
	l.Until = ""
	l.travels(func(data []byte) {
		sum := sha256.Sum256(data)
		d = Digest(sum[:16])
	})
	return d
}

// bytes is the line as it travels.
func (l Line) Bytes() (copied []byte) {
	l.travels(func(data []byte) { copied = bytes.Clone(data) })
	return copied
}

// travels shows the line as it travels for a moment.
func (l Line) travels(see func(data []byte)) {
	to := buffers.Get().(*bytes.Buffer)
	defer buffers.Put(to)
	to.Reset()
	if err := json.NewEncoder(to).Encode(l); err != nil {
		panic(fmt.Sprintf("publish: write a line: %v", err)) // it is made of texts and numbers
	}
	see(to.Bytes()[:to.Len()-1]) // without the line break
}

// buffers are used again: all lines of a channel are digested at once.
var buffers = sync.Pool{New: func() any { return &bytes.Buffer{} }}
