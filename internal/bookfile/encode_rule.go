package bookfile

import (
	"fmt"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// EncodeRule writes a rule.
func EncodeRule(r *pricing.Rule) []byte {
	o := shapedObject("rule").text("code", r.Code).text("layer", r.Layer.String()).whole("rank", r.Rank, 0).text("name",
		r.Name).text("note", r.Note)
	if r.Status != pricing.On {
		o.text("status", string(r.Status))
	}
	o.text("campaign", r.Campaign).raw("where", encodeWhere(&r.Where)).raw("window",
		encodeWindow(r.Window)).raw("audience", encodeAudience(r.Audience)).
		texts("channels", r.Channels).whole("minQuantity", r.MinQuantity, 1).text("currency", r.Currency)
	if r.HireMatch != "days" {
		o.text("hireMatch", r.HireMatch)
	}
	o.text("then", string(r.Then))
	if r.Effect != nil {
		o.raw("effect", encodeEffect(shapedObject("effect"), r.Effect))
	}
	if r.Breaks != nil {
		o.raw("breaks", encodeBreaks(r.Breaks)).counting(r.Counting).whole("historyDays", r.HistoryDays, 0)
	}
	o.text("ladder", r.Ladder)
	if r.Offer != nil {
		o.raw("offer", encodeOffer(r.Offer))
	}
	if d := r.Order; d != nil {
		o.raw("order", shapedObject("order").whole("min", d.Min, 0).whole("multiple", d.Multiple, 0).whole("max", d.Max,
			0).whole("perCustomer", d.PerCustomer, 0).done())
	}
	o.text("of", string(r.Of)).texts("on", r.On).raw("ending", encodeEnding(r.Ending))
	if r.MaxOff != nil {
		o.raw("maxOff", shapedObject("rule.maxOff").plain("percent", r.MaxOff.Percent).
			amount("amount", r.MaxOff.Amount).done())
	}
	if r.Floor != nil {
		o.raw("floor", shapedObject("rule.floor").amount("amount", r.Floor.Amount).plain("margin", r.Floor.Margin).
			truth("cost", r.Floor.Cost).text("level", r.Floor.Level).truth("withFee", r.Floor.WithFee).done())
	}
	o.truth("mayRaise", r.MayRaise)
	if s := r.Show; s != nil {
		o.raw("show", shapedObject("show").text("label", s.Label).text("message", s.Message).text("badge", s.Badge).
			text("image",
				s.Image).
			text("alt", s.Alt).text("terms", s.Terms).text("as", s.As).done())
	}
	if t := r.LiveTags; t != nil {
		o.raw("liveTags", shapedObject("rule.liveTags").texts("add", t.Add).texts("remove", t.Remove).done())
	}
	return o.done()
}

// counting writes how breaks are counted, defaults left out.
func (o *object) counting(c pricing.Counting) *object {
	if c.Method != pricing.Whole {
		o.text("method", string(c.Method))
	}
	if c.Count == "where" {
		o.raw("count", shapedObject("rule.count").raw("where", encodeWhere(c.Where)).done())
	} else if c.Count != "line" {
		o.text("count", c.Count)
	}
	if c.Measure != "quantity" {
		o.text("measure", c.Measure)
	}
	return o
}

func encodeEffect(o *object, e *pricing.Effect) []byte {
	switch e.Kind {
	case pricing.ToLevel:
		o.raw("level", marshal(e.Level))
	case pricing.ToDerived:
		d := shapedObject("derive").text("from", e.Derive.From).text("basis", e.Derive.Basis).
			plain("percent", &e.Derive.Percent).
			amount("min", e.Derive.Min).amount("max", e.Derive.Max)
		if e.Derive.Counts != "basket" {
			d.text("counts", e.Derive.Counts)
		}
		o.raw("derive", d.done())
	case pricing.AmountOff, pricing.AmountOn, pricing.SetPrice:
		o.amount(string(e.Kind), &e.Value)
	default:
		o.plain(string(e.Kind), &e.Value)
	}
	return o.done()
}

func encodeBreaks(breaks []pricing.Break) []byte {
	return array(breaks, func(b *pricing.Break) []byte {
		o := shapedObject("break")
		if n, fits := b.From.Minor(0, money.HalfUp); fits && money.Int(n).Equal(b.From) {
			o.raw("from", marshal(n))
		} else {
			o.plain("from", &b.From)
		}
		return encodeEffect(o, &b.Effect)
	})
}

func encodeEnding(e *pricing.Ending) []byte {
	if e == nil {
		return nil
	}
	o := shapedObject("ending").plain("step", &e.Step)
	if e.Direction != pricing.Nearest {
		o.text("direction", string(e.Direction))
	}
	if e.Shift.Sign() != 0 {
		o.plain("shift", &e.Shift)
	}
	return o.done()
}

func encodeWindow(w *pricing.Window) []byte {
	if w == nil {
		return nil
	}
	o := shapedObject("window")
	if w.From != nil {
		o.text("from", w.From.String())
	}
	if w.To != nil {
		o.text("to", w.To.String())
	}
	if w.Days != nil {
		days := []string{}
		for _, d := range w.Days {
			days = append(days, d.String())
		}
		o.texts("days", days)
	}
	if w.Hours != nil {
		o.texts("hours", []string{clockText(w.Hours.From), clockText(w.Hours.To)})
	}
	if k := w.Weekly; k != nil {
		text := func(m pricing.Moment) string {
			return pricing.Weekday(m/pricing.Day).String() + " " + clockText(m%pricing.Day)
		}
		o.raw("weekly", shapedObject("window.weekly").text("from", text(k.From)).text("to", text(k.To)).done())
	}
	if y := w.Yearly; y != nil {
		text := func(d pricing.MonthDay) string { return fmt.Sprintf("%02d-%02d", d/100, d%100) }
		o.raw("yearly", shapedObject("window.yearly").text("from", text(y.From)).text("to", text(y.To)).done())
	}
	return o.done()
}

func encodeAudience(a *pricing.Audience) []byte {
	if a == nil {
		return nil
	}
	o := shapedObject("audience").texts("groups", a.Groups).texts("customers", a.Customers).texts("countries", a.Countries)
	if a.CustomerAttr != nil {
		o.raw("customerAttr", marshal(a.CustomerAttr))
	}
	return o.truthPtr("firstOrder", a.FirstOrder).truthPtr("signedIn", a.SignedIn).done()
}

func encodeOffer(f *pricing.Offer) []byte {
	o := shapedObject("offer")
	list(o, "needs", f.Needs, func(n *pricing.Need) []byte {
		return shapedObject("offer.needs").text("id", n.ID).raw("where", encodeWhere(&n.Where)).
			whole("quantity", n.Quantity, 0).text("same",
			n.Same).done()
	})
	if s := f.Spend; s != nil {
		o.raw("spend", shapedObject("offer.spend").raw("where", encodeWhere(&s.Where)).amount("amount", &s.Amount).
			truth("every",
				s.Every).done())
	}
	if a := f.After; a != nil {
		o.raw("after", shapedObject("offer.after").raw("where", encodeWhere(&a.Where)).whole("days", a.Days, 0).done())
	}
	if c := f.Codes; c != nil {
		words := c.Words
		if words == nil && !c.Listed {
			words = []string{} // an offer that no word opens any more says so
		}
		o.raw("codes", shapedObject("offer.codes").texts("words", words).truth("listed", c.Listed).wholePtr("uses",
			c.Uses).wholePtr("usesPerCustomer", c.UsesPerCustomer).wholePtr("graceDays", c.GraceDays).done())
	}
	list(o, "gives", f.Gives, func(g *pricing.Give) []byte {
		e := shapedObject("give")
		if g.Where != nil {
			e.raw("to", shapedObject("give.to").raw("where", encodeWhere(g.Where)).done())
		} else {
			e.text("to", g.To)
		}
		if g.Units == pricing.AllUnits {
			e.text("units", "all")
		} else {
			e.whole("units", g.Units, 0)
		}
		return e.plain("percentOff", g.PercentOff).amount("amountOff", g.AmountOff).amount("each", g.Each).amount("forTotal",
			g.ForTotal).
			text("pick", g.Pick).text("of", string(g.Of)).done()
	})
	return o.whole("repeat", f.Repeat, 0).whole("maxUnits", f.MaxUnits, 0).amount("maxOff", f.MaxOff).truth("skipReduced",
		f.SkipReduced).
		wholePtr("stock", f.Stock).wholePtr("perCustomer", f.PerCustomer).done()
}
