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

// The kinds. docs/book.md, section 6, says when each is raised.
const (
	BelowCost  Kind = "below-cost"
	ThinMargin Kind = "thin-margin"
	OverMaxOff Kind = "over-max-off"
	BelowMAP   Kind = "below-map"
	AboveList  Kind = "above-list"
	Free       Kind = "free"
	NoPrice    Kind = "no-price"
	NoCost     Kind = "no-cost"

	GroupAbovePublic Kind = "group-above-public"
	DearerByQuantity Kind = "dearer-by-quantity"

	Tie            Kind = "tie"
	NeverWins      Kind = "never-wins"
	MatchesNothing Kind = "matches-nothing"
	NeverOpen      Kind = "never-open"
	Doubled        Kind = "doubled"
	DeriveCycle    Kind = "derive-cycle"
	PromiseDiffers Kind = "promise-differs"

	BreakInverted Kind = "break-inverted"
	BreakCliff    Kind = "break-cliff"
	BreakLost     Kind = "break-lost"

	BundleDearer   Kind = "bundle-dearer"
	OfferBelowCost Kind = "offer-below-cost"
	OfferOverStock Kind = "offer-over-stock"
	CodeTwice      Kind = "code-twice"
	Unannounced    Kind = "unannounced"

	ChannelCannot   Kind = "channel-cannot"
	LimitWholeUnits Kind = "limit-whole-units"
	LimitDiscount   Kind = "limit-discount"
	LimitReference  Kind = "limit-reference"
	LimitRating     Kind = "limit-rating"
	LimitTerms      Kind = "limit-terms"
	LimitLeadTime   Kind = "limit-lead-time"
	LimitWords      Kind = "limit-words"
)

// Entry is what there is to know of a kind.
type Entry struct {
	Kind     Kind
	Severity Severity // never-open may be a note
	Channels bool     // raised once for each channel
	Stops    bool     // a price with it is not sent to a channel unless somebody gives a reason
	// Marks finds it on one price; nil where more than a price is needed to see it.
	Marks func(row *pricing.Row) bool
}

// Table is every kind of trouble, the gravest first. What marks a price on the board, what a channel demands of one,
// what stops one from being sent and what a search finds are kinds of this table.
var Table = []Entry{
	{Kind: NoPrice, Severity: Error, Channels: true,
		Marks: func(r *pricing.Row) bool { return !r.HasPrice && !r.OnRequest }},
	{Kind: BelowCost, Severity: Error, Channels: true, Stops: true,
		Marks: func(r *pricing.Row) bool { return r.HasPrice && r.BelowCost }},
	{Kind: Free, Severity: Error, Channels: true},
	{Kind: OfferBelowCost, Severity: Error},
	{Kind: LimitWholeUnits, Severity: Error, Channels: true, Stops: true},
	{Kind: LimitDiscount, Severity: Error, Channels: true, Stops: true},
	{Kind: LimitReference, Severity: Error, Channels: true, Stops: true},
	{Kind: LimitRating, Severity: Error, Channels: true, Stops: true},
	{Kind: LimitTerms, Severity: Error, Channels: true, Stops: true},
	{Kind: LimitLeadTime, Severity: Error, Channels: true, Stops: true},
	{Kind: LimitWords, Severity: Error, Channels: true, Stops: true},
	{Kind: BreakInverted, Severity: Error},
	{Kind: CodeTwice, Severity: Error},
	{Kind: DeriveCycle, Severity: Error},
	{Kind: ThinMargin, Severity: Warning, Channels: true,
		Marks: func(r *pricing.Row) bool { return r.HasPrice && r.HasCost && r.UnderGuard && !r.BelowCost }},
	{Kind: OverMaxOff, Severity: Warning, Channels: true},
	{Kind: BelowMAP, Severity: Warning, Channels: true},
	{Kind: GroupAbovePublic, Severity: Warning, Channels: true},
	{Kind: DearerByQuantity, Severity: Warning, Channels: true},
	{Kind: Tie, Severity: Warning},
	{Kind: NeverWins, Severity: Warning},
	{Kind: MatchesNothing, Severity: Warning},
	{Kind: NeverOpen, Severity: Warning},
	{Kind: BundleDearer, Severity: Warning},
	{Kind: OfferOverStock, Severity: Warning},
	{Kind: PromiseDiffers, Severity: Warning},
	{Kind: ChannelCannot, Severity: Warning, Channels: true},
	{Kind: AboveList, Severity: Note, Channels: true},
	{Kind: BreakCliff, Severity: Note},
	{Kind: BreakLost, Severity: Note},
	{Kind: Doubled, Severity: Note},
	{Kind: Unannounced, Severity: Note},
	{Kind: NoCost, Severity: Note, Marks: func(r *pricing.Row) bool { return r.HasPrice && !r.HasCost }},
}

// kind is the place of one in Table.
type kind int8

var place = func() map[Kind]kind {
	places := map[Kind]kind{}
	for i := range Table {
		places[Table[i].Kind] = kind(i)
	}
	return places
}()

// Those that are found on prices and rules, again and again.
var (
	noPrice, belowCost, thinMargin, overMaxOff = place[NoPrice], place[BelowCost], place[ThinMargin], place[OverMaxOff]
	belowMAP, aboveList, free, noCost          = place[BelowMAP], place[AboveList], place[Free], place[NoCost]
	groupAbovePublic, dearerByQuantity         = place[GroupAbovePublic], place[DearerByQuantity]
	tie, doubled, deriveCycle, promiseDiffers  = place[Tie], place[Doubled], place[DeriveCycle], place[PromiseDiffers]
	breakInverted, breakCliff, breakLost       = place[BreakInverted], place[BreakCliff], place[BreakLost]
	channelCannot, limitWholeUnits             = place[ChannelCannot], place[LimitWholeUnits]
	limitDiscount, limitReference, limitRating = place[LimitDiscount], place[LimitReference], place[LimitRating]
	limitTerms, limitLeadTime, limitWords      = place[LimitTerms], place[LimitLeadTime], place[LimitWords]
)

// Compare puts kinds in the order of Table: the gravest first.
func Compare(a, b Kind) int { return int(place[a]) - int(place[b]) }

// Of is the entry of a kind; nil: there is no such kind.
func Of(k Kind) *Entry {
	if i, known := place[k]; known {
		return &Table[i]
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
