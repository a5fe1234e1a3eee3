package pricing

import "dogbane/internal/money"

// Break is one step of a quantity break: its effect holds from this count on.
type Break struct {
	From   money.Rat
	Effect Effect
}

// Method says whether the highest break reached prices every unit or the units are priced bracket by bracket.
type Method string

// The methods of breaks.
const (
	Whole     Method = "whole"
	Graduated Method = "graduated"
)

// Counting says what breaks are counted by.
type Counting struct {
	Method  Method
	Count   string // "line", "style", "selection", "basket", or "where" with Where
	Where   *Where // the goods that are counted
	Measure string // "quantity", "spend", "term", "days" or "attr:NAME"
}

// DefaultCounting is that of breaks which say nothing else.
func DefaultCounting() Counting { return Counting{Method: Whole, Count: "line", Measure: "quantity"} }
