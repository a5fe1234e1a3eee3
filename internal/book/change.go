package book

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

// Kinds of items, named as the lists of the document.
const (
	Products  = "products"
	Rules     = "rules"
	Groups    = "groups"
	Customers = "customers"
	Ranges    = "ranges"
	Ladders   = "ladders"
	Campaigns = "campaigns"
	Channels  = "channels"
	Settings  = "settings" // one item, without a code
	Measures  = "measures" // stock and units sold of one product, which can change without the rest of it
)

// kindsInOrder is in which order a document lists them: what is named before what names it.
var kindsInOrder = []string{Groups, Customers, Ranges, Ladders, Campaigns, Channels, Products, Rules}

// Change is one piece of the book that was written: nil before for a new piece, nil after for a deleted one.
type Change struct {
	Kind   string          `json:"kind"`
	Code   string          `json:"code"`
	Before json.RawMessage `json:"before,omitempty"`
	After  json.RawMessage `json:"after,omitempty"`
}

// Edit is a set of changes that are saved together.
type Edit struct {
	Who, Summary string
	At           time.Time
	Changes      []Change
	Undoes       *int64 // the log entry that this takes back

	Progress func(done int) // told how many changes are written; may be nil

	// Next is the book that the changes lead to where whoever makes the edit knows it, made from Base. It is used as long
	// as Base is the current book; else the changes are applied.
	Base, Next *pricing.Book

	// ChecksSeen says that whoever makes the edit has seen what it breaks; else the Guard may refuse it.
	ChecksSeen bool
}

// Entry is one saved edit in the log.
type Entry struct {
	ID       int64
	At       time.Time
	Who      string
	Version  int64
	Summary  string
	Changes  []Change
	Undoes   *int64
	UndoneBy *int64
	Moved    *int // prices that it moved; nil until they are counted
}

// Conflict says that a piece is no longer as the edit found it.
type Conflict struct {
	Kind, Code string
	Now        json.RawMessage // nil: it was deleted
}

func (c *Conflict) Error() string {
	return fmt.Sprintf("%s %q was changed by somebody else in the meantime", c.Kind, c.Code)
}

// ErrNotFound says that there is no such thing.
var ErrNotFound = errors.New("not found")

// SameDoc reports whether two documents mean the same piece.
func SameDoc(kind string, a, b []byte) bool {
	if bytes.Equal(a, b) {
		return true
	}
	x, err1 := bookfile.Canonical(kind, a)
	y, err2 := bookfile.Canonical(kind, b)
	return err1 == nil && err2 == nil && bytes.Equal(x, y)
}

// OfProduct is the change that makes another state of a product; nil before for a new one.
func OfProduct(before, after *pricing.Product) Change {
	c := Change{Kind: Products, Code: after.SKU, After: bookfile.EncodeProduct(after)}
	if before != nil {
		c.Before = bookfile.EncodeProduct(before)
	}
	return c
}

// OfRule is the change that makes another state of a rule; nil before for a new one, nil after for one that goes.
func OfRule(before, after *pricing.Rule) Change {
	c := Change{Kind: Rules}
	if before != nil {
		c.Code, c.Before = before.Code, bookfile.EncodeRule(before)
	}
	if after != nil {
		c.Code, c.After = after.Code, bookfile.EncodeRule(after)
	}
	return c
}

// OfSettings is the change that makes others of a book's settings.
func OfSettings(before, after *pricing.Settings) Change {
	return Change{Kind: Settings, Before: bookfile.EncodeSettings(before), After: bookfile.EncodeSettings(after)}
}

// Changes reports whether anything is different afterwards.
func (c *Change) Changes() bool { return !bytes.Equal(c.Before, c.After) }
