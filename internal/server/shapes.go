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

// RuleShape is a price rule; other keys (of offers and orders) are kept as they are.
type RuleShape struct {
	Code        string         `json:"code"`
	Layer       string         `json:"layer" enum:"catalog,sale,tier,group,promotion"`
	Rank        int            `json:"rank"`
	Name        string         `json:"name,omitempty"`
	Note        string         `json:"note,omitempty"`
	Status      string         `json:"status,omitempty" enum:"on,off,draft"`
	Campaign    string         `json:"campaign,omitempty"`
	Where       WhereShape     `json:"where"`
	Window      *WindowShape   `json:"window,omitempty"`
	Audience    *AudienceShape `json:"audience,omitempty"`
	Channels    []string       `json:"channels,omitempty"`
	MinQuantity int            `json:"minQuantity,omitempty"`
	Currency    string         `json:"currency,omitempty"`
	Then        string         `json:"then,omitempty" enum:"end-layer,end-price"`

	Effect      *EffectShape `json:"effect,omitempty"`
	Breaks      []BreakShape `json:"breaks,omitempty"`
	Ladder      string       `json:"ladder,omitempty"`
	Method      string       `json:"method,omitempty" enum:"whole,graduated"`
	Count       any          `json:"count,omitempty" doc:"line, style, selection, basket or {where}"`
	Measure     string       `json:"measure,omitempty"`
	HistoryDays int          `json:"historyDays,omitempty"`

	Of       string       `json:"of,omitempty"`
	On       []string     `json:"on,omitempty"`
	Ending   *EndingShape `json:"ending,omitempty"`
	MaxOff   *MaxOffShape `json:"maxOff,omitempty"`
	Floor    *FloorShape  `json:"floor,omitempty"`
	MayRaise bool         `json:"mayRaise,omitempty"`
	Show     *ShowShape   `json:"show,omitempty"`
	LiveTags *TagsShape   `json:"liveTags,omitempty"`
}

// WhereShape is a selection: an object with exactly one key.
type WhereShape struct {
	All      []WhereShape   `json:"all,omitempty"`
	Any      []WhereShape   `json:"any,omitempty"`
	Not      *WhereShape    `json:"not,omitempty"`
	SKU      any            `json:"sku,omitempty" doc:"a text or a list of texts, as for the fields up to category"`
	Style    any            `json:"style,omitempty"`
	Brand    any            `json:"brand,omitempty"`
	Supplier any            `json:"supplier,omitempty"`
	Type     any            `json:"type,omitempty"`
	Tag      any            `json:"tag,omitempty"`
	TaxClass any            `json:"taxClass,omitempty"`
	Range    any            `json:"range,omitempty"`
	Category any            `json:"category,omitempty"`
	Attr     map[string]any `json:"attr,omitempty"`
	List     *BoundsShape   `json:"list,omitempty"`
	Cost     *BoundsShape   `json:"cost,omitempty"`
	Stock    *BoundsShape   `json:"stock,omitempty"`
	Rating   *BoundsShape   `json:"rating,omitempty"`
	Sold     *BoundsShape   `json:"sold,omitempty"`
	Reduced  *bool          `json:"reduced,omitempty"`
}

// BoundsShape is a span of numbers, inclusive.
type BoundsShape struct {
	Min string `json:"min,omitempty"`
	Max string `json:"max,omitempty"`
}

// WindowShape is a window.
type WindowShape struct {
	From   string     `json:"from,omitempty"`
	To     string     `json:"to,omitempty" doc:"exclusive"`
	Days   []string   `json:"days,omitempty"`
	Hours  []string   `json:"hours,omitempty"`
	Weekly *SpanShape `json:"weekly,omitempty"`
	Yearly *SpanShape `json:"yearly,omitempty"`
}

// SpanShape is a span within a week or a year.
type SpanShape struct {
	From string `json:"from"`
	To   string `json:"to"`
}

// AudienceShape is an audience.
type AudienceShape struct {
	Groups       []string            `json:"groups,omitempty"`
	Customers    []string            `json:"customers,omitempty"`
	Countries    []string            `json:"countries,omitempty"`
	CustomerAttr map[string][]string `json:"customerAttr,omitempty"`
	FirstOrder   *bool               `json:"firstOrder,omitempty"`
	SignedIn     *bool               `json:"signedIn,omitempty"`
}

// EffectShape is an object with exactly one key.
type EffectShape struct {
	PercentOff string       `json:"percentOff,omitempty"`
	PercentOn  string       `json:"percentOn,omitempty"`
	AmountOff  string       `json:"amountOff,omitempty"`
	AmountOn   string       `json:"amountOn,omitempty"`
	SetPrice   string       `json:"setPrice,omitempty"`
	Level      string       `json:"level,omitempty"`
	Markup     string       `json:"markup,omitempty"`
	Margin     string       `json:"margin,omitempty"`
	Derive     *DeriveShape `json:"derive,omitempty"`
}

// BreakShape is a break: a count and an effect.
type BreakShape struct {
	From any `json:"from" doc:"a whole number, or a decimal text where money or an attribute is measured"`
	EffectShape
}

// DeriveShape takes a price from another.
type DeriveShape struct {
	From    string `json:"from"`
	Basis   string `json:"basis,omitempty" enum:"list,net,subtotal"`
	Percent string `json:"percent"`
	Min     string `json:"min,omitempty"`
	Max     string `json:"max,omitempty"`
	Counts  string `json:"counts,omitempty" enum:"basket,owned,both"`
}

// EndingShape gives a price its last digits.
type EndingShape struct {
	Step      string `json:"step"`
	Direction string `json:"direction,omitempty" enum:"nearest,up,down"`
	Shift     string `json:"shift,omitempty"`
}

// MaxOffShape limits a reduction.
type MaxOffShape struct {
	Percent string `json:"percent,omitempty"`
	Amount  string `json:"amount,omitempty"`
}

// FloorShape lifts a result.
type FloorShape struct {
	Amount string `json:"amount,omitempty"`
	Margin string `json:"margin,omitempty"`
	Cost   bool   `json:"cost,omitempty"`
}

// ShowShape is what the public sees.
type ShowShape struct {
	Label   string `json:"label,omitempty"`
	Message string `json:"message,omitempty"`
	Badge   string `json:"badge,omitempty"`
	Image   string `json:"image,omitempty"`
	Alt     string `json:"alt,omitempty"`
	Terms   string `json:"terms,omitempty"`
	As      string `json:"as,omitempty" enum:"reduced,ordinary"`
}

// TagsShape are tags that live with a rule.
type TagsShape struct {
	Add    []string `json:"add,omitempty"`
	Remove []string `json:"remove,omitempty"`
}
