package flags

import (
	"fmt"
	"regexp"
	"strings"

	"golang.org/x/text/currency"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// promise is what a rule's public words say of its effect, in numbers.
type promise struct {
	percents, amounts []number
	kept              bool // each number is that of an effect of the rule
	broken            string
}

// number is one that is promised, as it is written and in the ways to read it.
type number struct {
	text string
	ways []money.Rat
}

const figure = `\d+(?:[.,]\d+)*`

var percentSaid = regexp.MustCompile(`(` + figure + `)\s*%`)

// promiseOf reads what the rule of an ordinal says to the public; nil: no number.
func promiseOf(a *asked, ordinal int) *promise {
	r := a.rules[ordinal]
	if r.Show == nil {
		return nil
	}
	code := a.book.Settings.Currency
	if r.Currency != "" {
		code = r.Currency
	}
	texts := r.Show.Label + "\n" + r.Show.Message
	p := &promise{}
	for _, m := range percentSaid.FindAllStringSubmatch(texts, -1) {
		p.percents = append(p.percents, numberOf(m[1]))
	}
	unit, err := currency.ParseISO(code)
	if err != nil {
		return nil
	}
	signs := []string{regexp.QuoteMeta(code)}
	for _, sign := range []string{fmt.Sprint(currency.Symbol(unit)), fmt.Sprint(currency.NarrowSymbol(unit))} {
		signs = append(signs, regexp.QuoteMeta(sign))
	}
	sign := `(?:` + strings.Join(signs, "|") + `)`
	money := regexp.MustCompile(sign + `\s*(` + figure + `)|(` + figure + `)\s*` + sign)
	for _, m := range money.FindAllStringSubmatch(texts, -1) {
		p.amounts = append(p.amounts, numberOf(m[1]+m[2]))
	}
	if len(p.percents)+len(p.amounts) == 0 {
		return nil
	}
	p.compare(a, ordinal)
	return p
}

// numberOf reads a number with a point or a comma before its decimals, or between its thousands.
func numberOf(text string) number {
	n := number{text: text}
	add := func(s string) {
		if v, err := money.Parse(s); err == nil {
			n.ways = append(n.ways, v)
		}
	}
	if at := strings.LastIndexAny(text, ".,"); at >= 0 {
		whole := strings.NewReplacer(".", "", ",", "").Replace(text[:at])
		add(whole + "." + text[at+1:])
		if len(text)-at == 4 {
			add(whole + text[at+1:])
		}
	} else {
		add(text)
	}
	return n
}

func (n *number) is(values []money.Rat) bool {
	for _, w := range n.ways {
		for _, v := range values {
			if w.Equal(v) {
				return true
			}
		}
	}
	return false
}

// compare holds the numbers against those of the rule's effects, its limits and what its breaks count.
func (p *promise) compare(a *asked, ordinal int) {
	r := a.rules[ordinal]
	var percents, amounts []money.Rat
	told := true // an effect has no number of its own: what it comes to is told at the price alone
	effect := func(e *pricing.Effect) {
		switch e.Kind {
		case pricing.PercentOff, pricing.PercentOn, pricing.Markup, pricing.ToMargin:
			percents = append(percents, e.Value)
		case pricing.AmountOff, pricing.AmountOn, pricing.SetPrice:
			amounts = append(amounts, e.Value)
		default:
			told = false
		}
	}
	if r.Effect != nil {
		effect(r.Effect)
	}
	breaks, counting := a.engine.Breaks(ordinal)
	for i := range breaks {
		effect(&breaks[i].Effect)
		if counting.Measure == "spend" {
			amounts = append(amounts, breaks[i].From)
		}
	}
	if m := r.MaxOff; m != nil && m.Percent != nil {
		percents = append(percents, *m.Percent)
	} else if m != nil && m.Amount != nil {
		amounts = append(amounts, *m.Amount)
	}
	if r.Floor != nil && r.Floor.Amount != nil {
		amounts = append(amounts, *r.Floor.Amount)
	}
	p.kept = true
	if !told {
		return
	}
	for i := range p.percents {
		if !p.percents[i].is(percents) {
			p.kept, p.broken = false, p.percents[i].text+" %"
		}
	}
	for i := range p.amounts {
		if !p.amounts[i].is(amounts) {
			p.kept, p.broken = false, p.amounts[i].text
		}
	}
}

// promisesAt holds what rules that applied say against what they did.
func (w *worker) promisesAt(c *class, quantity int, u *pricing.Exam) {
	for i := range u.Applied {
		a := &u.Applied[i]
		p := w.promises[a.Ordinal]
		if p == nil {
			continue
		}
		f := finding{kind: promiseDiffers, rule: int32(a.Ordinal), other: -1, cause: -1, price: u.Finished, priced: u.Priced}
		if !p.kept {
			f.worst = money.Int(1_000_000)
			w.keep(c.once(), quantity, f)
			continue
		}
		promised := p.percents
		if a.Effect.Kind == pricing.AmountOff || a.Effect.Kind == pricing.AmountOn || a.Effect.Kind == pricing.SetPrice {
			promised = p.amounts
		}
		says := false
		for k := range promised {
			says = says || promised[k].is([]money.Rat{a.Effect.Value})
		}
		shaped := a.Rule.Ending != nil || a.Rule.MaxOff != nil || a.Rule.Floor != nil || a.Raw.Sign() < 0
		if !says || !shaped || !a.Priced || a.Before.Sign() <= 0 {
			continue
		}
		off := a.Result.Sub(a.Raw)
		if off.Sign() < 0 {
			off = nothing.Sub(off)
		}
		if half := a.Before.Mul(money.Ratio(1, 200)); half.Less(off) {
			f.worst = off
			w.keep(c.once(), quantity, f)
		}
	}
}
