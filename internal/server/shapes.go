package server

import (
	"encoding/json"
	"reflect"

	"github.com/danielgtaylor/huma/v2"
)

// RuleDoc is a rule as docs/book.md writes it. It is decoded by package bookfile, which knows every error by its path;
// RuleShape below only describes it.
type RuleDoc json.RawMessage

// MarshalJSON writes the document as it is.
func (d RuleDoc) MarshalJSON() ([]byte, error) { return json.RawMessage(d).MarshalJSON() }

// UnmarshalJSON keeps the document as it is.
func (d *RuleDoc) UnmarshalJSON(data []byte) error {
	*d = append((*d)[:0], data...)
	return nil
}

// Schema describes the document.
func (RuleDoc) Schema(r huma.Registry) *huma.Schema {
	return r.Schema(reflect.TypeFor[RuleShape](), true, "RuleShape")
}

// RuleShape is the part of a rule that the front end edits; other keys are kept as they are.
type RuleShape struct {
	Code        string       `json:"code"`
	Layer       string       `json:"layer" enum:"catalog,sale,tier,group,promotion"`
	Rank        int          `json:"rank"`
	Name        string       `json:"name,omitempty"`
	Note        string       `json:"note,omitempty"`
	Status      string       `json:"status,omitempty" enum:"on,off,draft"`
	Where       WhereShape   `json:"where"`
	Window      *WindowShape `json:"window,omitempty"`
	Channels    []string     `json:"channels,omitempty"`
	MinQuantity int          `json:"minQuantity,omitempty"`
	Effect      *EffectShape `json:"effect,omitempty"`
	Ending      *EndingShape `json:"ending,omitempty"`
}

// WhereShape is a selection: an object with exactly one key.
type WhereShape struct {
	All      []WhereShape `json:"all,omitempty"`
	Any      []WhereShape `json:"any,omitempty"`
	Not      *WhereShape  `json:"not,omitempty"`
	SKU      any          `json:"sku,omitempty" doc:"a text or a list of texts"`
	Category any          `json:"category,omitempty" doc:"a text or a list of texts"`
	Brand    any          `json:"brand,omitempty" doc:"a text or a list of texts"`
	Tag      any          `json:"tag,omitempty" doc:"a text or a list of texts"`
	List     *BoundsShape `json:"list,omitempty"`
}

// BoundsShape is a span of numbers, inclusive.
type BoundsShape struct {
	Min string `json:"min,omitempty"`
	Max string `json:"max,omitempty"`
}

// WindowShape is a window.
type WindowShape struct {
	From string   `json:"from,omitempty"`
	To   string   `json:"to,omitempty" doc:"exclusive"`
	Days []string `json:"days,omitempty"`
}

// EffectShape is an object with exactly one key.
type EffectShape struct {
	PercentOff string `json:"percentOff,omitempty"`
	PercentOn  string `json:"percentOn,omitempty"`
	AmountOff  string `json:"amountOff,omitempty"`
	AmountOn   string `json:"amountOn,omitempty"`
	SetPrice   string `json:"setPrice,omitempty"`
}

// EndingShape gives a price its last digits.
type EndingShape struct {
	Step      string `json:"step"`
	Direction string `json:"direction,omitempty" enum:"nearest,up,down"`
	Shift     string `json:"shift,omitempty"`
}
