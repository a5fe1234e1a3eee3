package bookfile

import (
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
)

// DecodeBasket reads a basket question: {"at", "lines", ...}. Its error is an Errors with every error by its path.
func DecodeBasket(data []byte) (basket.Question, error) {
	n, err := parse(data)
	if err != nil {
		return basket.Question{}, err
	}
	q := n.basketQuestion()
	return q, n.r.err()
}

func (n *node) basketQuestion() (q basket.Question) {
	keys := []string{"lines", "codes", "shipping", "used", "explain"}
	for _, key := range viewpointKeys {
		if key != "quantity" && key != "term" {
			keys = append(keys, key)
		}
	}
	if n.object(keys...) == nil {
		return q
	}
	q.Viewpoint = n.viewpoint()
	n.basketGoods(&q)
	if used := n.may("used"); used != nil {
		q.Used = readUsed(used)
	}
	return q
}

// Quote is what a channel's program asks: a basket question without channel, moment and drafts. How often offers were
// used is never taken from it.
type Quote struct {
	basket.Question
	SaysHistory, SaysFirst bool // the rest comes from what is known of the customer
}

// DecodeQuote reads a quote. Its error is an Errors with every error by its path.
func DecodeQuote(data []byte) (Quote, error) {
	n, err := parse(data)
	if err != nil {
		return Quote{}, err
	}
	q := Quote{}
	keys := []string{"customer", "group", "groups", "country", "firstOrder", "signedIn", "history"}
	keys = append(keys, "lines", "codes", "shipping", "used", "explain")
	if n.object(keys...) != nil {
		n.buyer(&q.Viewpoint)
		n.basketGoods(&q.Question)
		q.SaysHistory, q.SaysFirst = n.has("history"), n.has("firstOrder")
	}
	return q, n.r.err()
}

func (n *node) basketGoods(q *basket.Question) {
	if lines := n.need("lines"); lines != nil {
		for _, l := range lines.items() {
			q.Lines = append(q.Lines, l.line())
		}
	}
	q.Codes, q.Shipping, q.Explain = n.may("codes").texts(), n.may("shipping").amountPtr(), n.may("explain").truth(false)
}

func readUsed(used *node) map[string]basket.Used {
	all := map[string]basket.Used{}
	for _, u := range used.entries() {
		if u.object("total", "customer", "codes") == nil {
			continue
		}
		one := basket.Used{Uses: u.uses(), Codes: map[string]basket.Uses{}}
		if codes := u.may("codes"); codes != nil {
			for _, c := range codes.entries() {
				if c.object("total", "customer") != nil {
					one.Codes[c.key] = c.uses()
				}
			}
		}
		all[u.key] = one
	}
	return all
}

func (n *node) line() (l pricing.Line) {
	if n.object("sku", "quantity", "options", "term", "hire", "byHand") == nil {
		return l
	}
	if sku := n.need("sku"); sku != nil {
		l.SKU = sku.word()
	}
	l.Quantity, l.Term = n.may("quantity").whole(1, 1), n.may("term").whole(0, 1)
	l.Options = n.may("options").texts()
	if h := n.may("hire"); h != nil && h.object("from", "to") != nil {
		l.Hire = &pricing.Hire{}
		if from := h.need("from"); from != nil {
			l.Hire.From, _ = from.moment()
		}
		if to := h.need("to"); to != nil {
			l.Hire.To, _ = to.moment()
		}
	}
	if b := n.may("byHand"); b != nil && b.object("percentOff", "amountOff") != nil {
		if b.has("percentOff") == b.has("amountOff") {
			b.fail("must have one of percentOff and amountOff")
		}
		l.ByHand = &pricing.ByHand{PercentOff: b.may("percentOff").percentPtr(), AmountOff: b.may("amountOff").amountPtr()}
	}
	return l
}

func (n *node) uses() basket.Uses {
	return basket.Uses{Total: n.may("total").whole(0, 0), Customer: n.may("customer").whole(0, 0)}
}

// BasketAnswer is a basket's answer as JSON. Amounts are decimal texts in Currency, on the channel's footing.
type BasketAnswer struct {
	Currency string         `json:"currency"`
	Lines    []BasketLine   `json:"lines"`
	Offers   []BasketOffer  `json:"offers" doc:"that applied, by rank"`
	Exact    bool           `json:"exact" doc:"false: more offers compete than every order could be tried of"`
	Subtotal string         `json:"subtotal" doc:"before offers"`
	Off      string         `json:"off" doc:"by offers"`
	Shipping *string        `json:"shipping" doc:"before offers"`
	Total    string         `json:"total" doc:"subtotal less off, and shipping"`
	Tax      []BasketTax    `json:"tax" doc:"by rate"`
	Margin   *MarginAnswer  `json:"margin" doc:"of all goods, options aside, with explain; null where a cost is unknown"`
	Problems []Problem      `json:"problems"`
	Idle     []BasketIdle   `json:"idle,omitempty" doc:"presented words that are accepted and change nothing"`
	Missed   []BasketMissed `json:"missed,omitempty" doc:"offers that did not apply"`
	Nudges   []BasketNudge  `json:"nudges,omitempty" doc:"what to add for the next break or offer, cheapest first"`
}

// BasketLine is a line's price.
type BasketLine struct {
	SKU      string          `json:"sku"`
	Quantity int             `json:"quantity"`
	List     *string         `json:"list" doc:"of one unit, day or month"`
	Unit     *string         `json:"unit" doc:"of one unit in all, before offers"`
	Subtotal *string         `json:"subtotal" doc:"of all units before offers"`
	Total    *string         `json:"total" doc:"after offers"`
	Margin   *MarginAnswer   `json:"margin" doc:"of the total, options aside, with explain"`
	Portions []BasketPortion `json:"portions" doc:"units that come out alike"`
	Hired    *BasketHired    `json:"hired,omitempty"`
}

// BasketHired is which days of a hire are charged.
type BasketHired struct {
	From      string `json:"from" doc:"the first charged day"`
	Through   string `json:"through" doc:"the last charged day"`
	Days      int    `json:"days"`
	FreeFirst bool   `json:"freeFirst,omitempty" doc:"the day of collection is free: it is collected late"`
	FreeLast  bool   `json:"freeLast,omitempty" doc:"the day of return is free: it is returned early"`
	Words     string `json:"words,omitempty" doc:"for customers"`
}

// BasketPortion is neighbouring units of a line that come out alike.
type BasketPortion struct {
	Quantity int         `json:"quantity"`
	Unit     string      `json:"unit"`
	Rules    []string    `json:"rules"`
	Labels   []string    `json:"labels,omitempty" doc:"for customers, in answers to channels: what rules say of it"`
	Days     []BasketDay `json:"days,omitempty"`
}

// BasketDay is how so many days of a hire, or a unit that is not hired, came to their price.
type BasketDay struct {
	Days  int    `json:"days"`
	Trail *Trail `json:"trail"`
}

// BasketOffer is an offer that applied.
type BasketOffer struct {
	Rule         string        `json:"rule"`
	Label        string        `json:"label,omitempty" doc:"for customers, in answers to channels: what its display says, or what it is"`
	Code         string        `json:"code,omitempty" doc:"the presented word that opened it"`
	Off          string        `json:"off"`
	Shipping     *string       `json:"shipping,omitempty" doc:"the part of off taken from the shipping"`
	Applications int           `json:"applications"`
	Needed       []BasketShare `json:"needed" doc:"units that filled needs, by line"`
	Rewarded     []BasketShare `json:"rewarded" doc:"units that were reduced, by line"`
}

// BasketShare is units of one line.
type BasketShare struct {
	Line  int     `json:"line" doc:"from 0"`
	Units int     `json:"units"`
	Off   *string `json:"off,omitempty"`
}

// BasketTax is the tax at one rate.
type BasketTax struct {
	Percent string `json:"percent"`
	Of      string `json:"of" doc:"what is paid at that rate, shipping included"`
	Amount  string `json:"amount" doc:"contained in it, or on top where prices are without tax"`
}

// BasketMissed is an offer that did not apply.
type BasketMissed struct {
	Rule    string  `json:"rule"`
	Reason  string  `json:"reason"`
	By      string  `json:"by,omitempty" doc:"the offer that took its units, or ended the layer"`
	Counted *string `json:"counted,omitempty" doc:"with needs: units that match; with spend: what is spent on goods that count"`
	Wanted  *string `json:"wanted,omitempty"`
}

// BasketIdle is a presented word that is accepted and changes nothing, with the reason.
type BasketIdle struct {
	Code  string `json:"code"`
	Label string `json:"label,omitempty" doc:"of its offer, for customers"`
	Words string `json:"words,omitempty" doc:"the reason, for customers"`
	BasketMissed
}

// BasketNudge is what to add for the next break of a rule, or for an offer to apply once more.
type BasketNudge struct {
	Rule  string        `json:"rule"`
	Add   []BasketAdded `json:"add"`
	Costs string        `json:"costs" doc:"how much more the whole costs then; below 0: it is cheaper"`
	Saves string        `json:"saves" doc:"what the whole then costs less than with the added goods at their present prices"`
}

// BasketAdded is units of a product.
type BasketAdded struct {
	SKU      string `json:"sku"`
	Quantity int    `json:"quantity"`
}

// Problem is something wrong with a question that is answered all the same.
type Problem struct {
	Path    string `json:"path"`
	Problem string `json:"problem"`
}

// BasketAnswerOf writes a basket's answer.
func BasketAnswerOf(a *basket.Answer) *BasketAnswer {
	text := func(r money.Rat) string { return r.Fixed(a.Digits) }
	fixed := func(r *money.Rat) *string { return mapped(r, text) }
	out := &BasketAnswer{Currency: a.Currency, Lines: []BasketLine{}, Offers: []BasketOffer{}, Exact: a.Exact,
		Subtotal: text(a.Subtotal), Off: text(a.Off),
		Shipping: fixed(a.Shipping), Total: text(a.Total), Tax: []BasketTax{}, Problems: []Problem{}}
	for i := range a.Lines {
		l := &a.Lines[i]
		line := BasketLine{SKU: l.SKU, Quantity: l.Quantity, List: fixed(l.List), Unit: fixed(l.Unit), Total: fixed(l.Total),
			Margin:   marginAnswer(l.Margin, a.Digits),
			Portions: []BasketPortion{}}
		if l.Total != nil {
			line.Subtotal = fixed(new(l.PricedLine.Total()))
		}
		for _, r := range l.Runs {
			portion := BasketPortion{Quantity: r.Units, Unit: text(r.Price), Rules: r.Rules}
			for j := range r.Days {
				portion.Days = append(portion.Days, BasketDay{r.Days[j].Days, trail(&r.Days[j].Trail, a.Digits)})
			}
			line.Portions = append(line.Portions, portion)
		}
		if h := l.Charged; h != nil {
			line.Hired = &BasketHired{From: h.First.String()[:10], Through: h.Last.String()[:10],
				Days: int((h.Last-h.First)/pricing.Day) + 1, FreeFirst: h.FreeFirst, FreeLast: h.FreeLast}
		}
		out.Lines = append(out.Lines, line)
	}
	for _, o := range a.Offers {
		offer := BasketOffer{
			Rule:         o.Rule,
			Code:         o.Code,
			Off:          text(o.Off),
			Applications: o.Applications,
			Needed:       []BasketShare{},
			Rewarded:     []BasketShare{},
		}
		if o.Shipping.Sign() > 0 {
			offer.Shipping = fixed(&o.Shipping)
		}
		for _, s := range o.Needed {
			offer.Needed = append(offer.Needed, BasketShare{Line: s.Line, Units: s.Units})
		}
		for _, s := range o.Rewarded {
			offer.Rewarded = append(offer.Rewarded, BasketShare{Line: s.Line, Units: s.Units, Off: fixed(&s.Off)})
		}
		out.Offers = append(out.Offers, offer)
	}
	for _, t := range a.Tax {
		out.Tax = append(out.Tax, BasketTax{t.Percent.String(), text(t.Of), text(t.Amount)})
	}
	for _, p := range a.Problems {
		out.Problems = append(out.Problems, Problem(p))
	}
	out.Margin = marginAnswer(a.Margin, a.Digits)
	for _, n := range a.Nudges {
		nudge := BasketNudge{Rule: n.Rule, Add: []BasketAdded{}, Costs: text(n.Costs), Saves: text(n.Saves)}
		for _, x := range n.Add {
			nudge.Add = append(nudge.Add, BasketAdded(x))
		}
		out.Nudges = append(out.Nudges, nudge)
	}
	missed := func(m basket.Miss) BasketMissed {
		counted := plainNumber
		if m.Reason == basket.NoSpend {
			counted = text
		}
		return BasketMissed{m.Rule, string(m.Reason), m.By, mapped(m.Counted, counted), mapped(m.Wanted, counted)}
	}
	for _, m := range a.Missed {
		out.Missed = append(out.Missed, missed(m))
	}
	for _, m := range a.Idle {
		out.Idle = append(out.Idle, BasketIdle{Code: m.Word, BasketMissed: missed(m.Miss)})
	}
	return out
}

// WithoutCosts leaves out of an answer what tells costs: margins, and the lowest prices that guards permit.
func (a *BasketAnswer) WithoutCosts() *BasketAnswer {
	a.Margin = nil
	for i := range a.Lines {
		a.Lines[i].Margin = nil
		for _, p := range a.Lines[i].Portions {
			for _, d := range p.Days {
				for s := range d.Trail.Steps {
					d.Trail.Steps[s].MarginAmount, d.Trail.Steps[s].Share = nil, nil
				}
				if f := d.Trail.Finish; f != nil {
					f.Lowest, f.LowestByOff, f.UnderGuard, f.Held = nil, nil, false, false
				}
			}
		}
	}
	return a
}
