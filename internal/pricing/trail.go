package pricing

import "dogbane/internal/money"

// Reason says why a rule whose selection holds a product did not apply to it. Where several hold, the first in this
// order is named.
type Reason string

// The reasons of price rules, in order.
const (
	SwitchedOff   Reason = "off"
	OtherCurrency Reason = "currency"
	OtherChannel  Reason = "channel"
	OtherAudience Reason = "audience"
	NotYet        Reason = "not-yet"
	Ended         Reason = "ended"
	OutsideHours  Reason = "hours"
	PriceEnded    Reason = "price-ended"
	LayerEnded    Reason = "layer-ended"
	TooFew        Reason = "quantity"
	NoPrice       Reason = "no-price"
	NoCost        Reason = "no-cost"
	NoLevel       Reason = "no-level"
	NoBasis       Reason = "no-basis"
	WouldRaise    Reason = "would-raise"
	Outranked     Reason = "outranked"
	NotLowest     Reason = "not-lowest"
	NotHighest    Reason = "not-highest"
)

// Step is one rule that applied.
type Step struct {
	Rule   string
	Layer  Layer
	Before *money.Rat // nil: there was no price
	After  money.Rat
	Effect Effect
	From   *money.Rat // the break whose effect this is
	Basis  *money.Rat // where it is not the price entering
	// What shaped the result after the effect, in order: "max-off", "floor", "ending", "zero".
	Shaped []string
	// Raw is the result of the effect alone.
	Raw money.Rat
	// Ended names what the rule ended: "", "layer" or "price".
	Ended string
	// Margin is what would be left if After were the price; nil where the cost is unknown.
	Margin *Margin
}

// Miss is one rule that did not apply, with the reason.
type Miss struct {
	Rule            string
	Layer           Layer
	Reason          Reason
	By              string     // the rule that shut this one out
	Counted, Wanted *money.Rat // with TooFew
	Would           *money.Rat // what the rule would have made of the price, where it came so far
}

// Finish is how the price after the layers became the price shown.
type Finish struct {
	Raw         money.Rat  // the price after the layers, on the book's footing
	ByHand      *money.Rat // what was taken off it by hand before
	TaxFactor   *money.Rat // what converted it to the channel's footing
	Ending      bool       // the channel's ending changed it
	Rounded     money.Rat  // rounded to the minor unit
	Lowest      *money.Rat // the guard's lowest permitted price, on the channel's footing, not rounded
	Held        bool       // lifted to it
	UnderGuard  bool       // below it and not lifted
	OverMaxOff  bool       // below what the guard's maxOff permits and not lifted
	LowestByOff *money.Rat // the lowest price that maxOff permits
}

// Trail is the way from the list price to the price of one portion.
type Trail struct {
	List   *money.Rat
	Steps  []Step
	Missed []Miss
	Finish *Finish // nil: no price
}
