// Package flags finds what is wrong with a book. Every flag carries a witness: a complete question whose answer shows
// the trouble. What a price is belongs to package pricing; what to do about a flag belongs to those who read it.
//
// # How it looks, and why nothing is missed
//
// What a product costs depends on which rules take part in its price, on the channel and on the quantity. Products that
// the same rules can reach and the same channels list are kin (classes.go). Of the questions about kin in one channel,
// those at which the same of their rules take part are one class, and have one answer: so one of a class is asked, the
// earliest.
//   - Time is cut at every moment at which a live rule or its campaign opens or closes (questions.go): weekly and
//     yearly edges, hours past midnight, and the ends of hours that the clock skips. Between two cuts nothing changes.
//   - Guests, groups and customers are told apart by the audiences of live rules alone. Customers whom no audience
//     names are one class where it looks at the same groups and attributes of them; those whom a rule of the kin names
//     stand for themselves.
//   - Quantities matter where a break or a least quantity of a rule that takes part begins; where units of a line
//     differ (graduated breaks), or something else than pieces is counted, every asked quantity is looked at.
//   - A price that is derived from another product's follows the rules of that one, too: they count as reaching it.
//
// So the work is the sum over products of the classes of their questions, a few dozen each, and each answer is the
// letter of package pricing, with what every rule that fits did (pricing.Examiner). What a product shows depends on
// nothing that does not reach it: after an edit only products that it touches are looked at again (Search).
// Whatever is no matter of a price (words, windows, stocks, codes, offers) is looked at whole; offers.go says how.
package flags

import (
	"cmp"
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
)

// Question asks for the flags of a span of time. Nil lists stand for everything that the book knows.
type Question struct {
	From, To         pricing.Moment
	Channels, Groups []string // "" among Groups: guests
	Quantities       []int
	With             []string
	// Between, where given, is called now and then during a long search, by one goroutine at a time; its error ends it.
	Between func() error
}

// Flag is one trouble, with its worst witness. Of a kind that is raised for each channel, Channel is "" for questions
// without one.
type Flag struct {
	Kind     Kind
	Severity Severity
	SKU      string   // the product, where the flag is about one
	Rule     string   // the rule, where it is about one
	Rules    []string // those it is about, sorted; of a rule that never wins, those that keep it from it
	Cause    string   // of a price: the rule that lowered it most; "": none did
	Channel  string
	Witness  pricing.Question
	Basket   *basket.Question // the witness, where it is a basket
	Products int              // how many show it
	Price    *money.Rat       // the witness's finished price; nil: none
	Cost     *money.Rat       // on the price's footing
	Margin   *money.Rat       // net − fee − cost
	Other    *money.Rat       // what the price is held against
	Nearest  []money.Rat      // the nearest prices that pass, ascending
	Words    string           // what is promised or refused, as it is written
	Currency string
	Digits   int
}

// Find answers a flags question. Its errors are those of the question.
func Find(e *pricing.Engine, q Question) ([]Flag, error) {
	s, err := NewSearch(e, q)
	if err != nil {
		return nil, err
	}
	return s.Flags()
}

func sortFlags(list []Flag) {
	order := make([]*Flag, len(list))
	for i := range list {
		order[i] = &list[i]
	}
	slices.SortStableFunc(order, func(a, b *Flag) int {
		return cmp.Or(cmp.Compare(place[a.Kind], place[b.Kind]), cmp.Compare(a.SKU, b.SKU), cmp.Compare(a.Rule, b.Rule),
			slices.Compare(a.Rules, b.Rules), cmp.Compare(a.Channel, b.Channel))
	})
	sorted := make([]Flag, len(list))
	for i, f := range order {
		sorted[i] = *f
	}
	copy(list, sorted)
}
