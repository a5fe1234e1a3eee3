package flags

import "dogbane/internal/pricing"

// Severity of a flag.
type Severity string

// The severities.
const (
	Error   Severity = "error"
	Warning Severity = "warning"
	Note    Severity = "note"
)

// Kind of a flag: what is wrong.
type Kind string

// The kinds.
const (
	BelowCost  Kind = "below-cost"  // the margin is under 0
	ThinMargin Kind = "thin-margin" // the margin is under the guard, but not under 0
	NoPrice    Kind = "no-price"    // a listed product has no price
	NoCost     Kind = "no-cost"     // the cost of a listed product is unknown
	Tie        Kind = "tie"         // two rules of equal rank in a layer of mode first give different prices

	LimitWholeUnits Kind = "limit-whole-units" // the channel takes whole amounts only
	LimitDiscount   Kind = "limit-discount"    // the channel takes reductions of a certain size only
	LimitReference  Kind = "limit-reference"   // the channel wants a price that the reduced one is shown against
	LimitLeadTime   Kind = "limit-lead-time"   // the channel wants to know earlier
)

// Subject is what a flag of a kind is raised for, once per channel.
type Subject string

// The subjects.
const (
	PerProduct Subject = "product"
	PerRule    Subject = "rule"
	PerPair    Subject = "pair" // of rules
)

// Entry is what there is to know of a kind.
type Entry struct {
	Kind     Kind
	Severity Severity
	Per      Subject
	Stops    bool // a price with it is not sent to a channel unless somebody gives a reason
	Searched bool // Find looks for it
	// Marks finds it on one price; nil where more than a price is needed to see it.
	Marks func(row *pricing.Row) bool
}

// Table is every kind of trouble, the gravest first. What marks a price on the board, what a channel demands of one,
// what stops one from being sent and what a search finds are kinds of this table.
var Table = []Entry{
	{Kind: NoPrice, Severity: Error, Per: PerProduct, Marks: func(r *pricing.Row) bool { return !r.HasPrice }},
	{Kind: BelowCost, Severity: Error, Per: PerProduct, Stops: true, Searched: true,
		Marks: func(r *pricing.Row) bool { return r.HasPrice && r.BelowCost }},
	{Kind: LimitWholeUnits, Severity: Error, Per: PerProduct},
	{Kind: LimitDiscount, Severity: Error, Per: PerProduct},
	{Kind: LimitReference, Severity: Error, Per: PerProduct},
	{Kind: LimitLeadTime, Severity: Error, Per: PerRule},
	{Kind: ThinMargin, Severity: Warning, Per: PerProduct,
		Marks: func(r *pricing.Row) bool { return r.HasPrice && r.HasCost && r.UnderGuard && !r.BelowCost }},
	{Kind: Tie, Severity: Warning, Per: PerPair, Searched: true},
	{Kind: NoCost, Severity: Note, Per: PerProduct, Marks: func(r *pricing.Row) bool { return r.HasPrice && !r.HasCost }},
}

// Of is the entry of a kind.
func Of(k Kind) *Entry {
	for i := range Table {
		if Table[i].Kind == k {
			return &Table[i]
		}
	}
	return nil
}

// On are the kinds that mark a price, the gravest first.
func On(row *pricing.Row) []Kind {
	kinds := []Kind{}
	for i := range Table {
		if e := &Table[i]; e.Marks != nil && e.Marks(row) {
			kinds = append(kinds, e.Kind)
		}
	}
	return kinds
}
