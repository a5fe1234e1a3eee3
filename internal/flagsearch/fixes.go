package flagsearch

import (
	"fmt"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
)

// Fix is an edit that would clear a flag.
type Fix struct {
	Title   string
	Changes []book.Change
}

// fixer proposes edits of one saved book.
type fixer struct {
	snap  *book.Snapshot
	fixes []Fix
}

// Fixes are edits each of which may clear a flag; whether one does is told by what it would change.
func Fixes(snap *book.Snapshot, f *bookfile.FlagAnswer) []Fix {
	x := &fixer{snap: snap}
	cause := snap.Rule(f.Cause)
	if cause == nil {
		cause = snap.Rule(f.Rule)
	}
	switch kind := flags.Kind(f.Kind); kind {
	case flags.BelowCost, flags.Free, flags.ThinMargin, flags.OverMaxOff, flags.BelowMAP:
		x.floor(kind, cause, f)
		x.raise(f, cause)
		x.leaveOut(cause, f.SKU)
		x.end(cause, f)
	case flags.Tie:
		if len(f.Rules) == 2 {
			x.before(f.Rules[0], f.Rules[1])
			x.before(f.Rules[1], f.Rules[0])
		}
	case flags.NeverWins:
		for _, by := range f.Rules[:min(len(f.Rules), 3)] {
			x.before(f.Rule, by)
		}
		x.off(cause)
	case flags.MatchesNothing, flags.NeverOpen, flags.BundleDearer:
		x.off(cause)
	case flags.BreakInverted, flags.DearerByQuantity:
		x.sortBreaks(cause, f)
	case flags.Doubled:
		x.notReduced(f.Rules)
	case flags.LimitWholeUnits:
		x.whole(cause)
		x.leaveOut(cause, f.SKU)
	case flags.LimitDiscount:
		x.withinLimits(cause, f)
		x.leaveOut(cause, f.SKU)
	case flags.AboveList:
		x.leaveOut(x.raising(f), f.SKU)
	case flags.LimitReference, flags.LimitRating, flags.LimitWords:
		x.leaveOut(cause, f.SKU)
		x.notIn(cause, f.Channel)
	case flags.LimitLeadTime:
		x.later(cause, f)
		x.notIn(cause, f.Channel)
	case flags.ChannelCannot, flags.LimitTerms:
		x.notIn(cause, f.Channel)
	case flags.GroupAbovePublic:
		x.groupTerms(f)
	case flags.OfferBelowCost:
		x.costliest(cause, f)
		x.off(cause)
	case flags.OfferOverStock:
		x.asStocked(cause)
	case flags.CodeTwice:
		for _, code := range f.Rules {
			x.withoutWord(snap.Rule(code), f.Words)
		}
	}
	return x.fixes
}

// edit proposes another state of a rule; change is given a copy of it.
func (x *fixer) edit(title string, r *pricing.Rule, change func(r *pricing.Rule)) {
	next := *r
	change(&next)
	if c := book.OfRule(r, &next); c.Changes() {
		x.fixes = append(x.fixes, Fix{title, []book.Change{c}})
	}
}

func (x *fixer) modeOf(r *pricing.Rule) pricing.LayerMode {
	for _, l := range x.snap.Book.Settings.Layers {
		if l.Layer == r.Layer {
			return l.Mode
		}
	}
	return pricing.First
}

// floor keeps a rule from going below the cost, or below what the guard wants.
func (x *fixer) floor(kind flags.Kind, r *pricing.Rule, f *bookfile.FlagAnswer) {
	if r == nil || r.Floor != nil || r.Offer != nil || x.modeOf(r) == pricing.Add {
		return
	}
	switch kind {
	case flags.BelowMAP:
		p := x.snap.Product(f.SKU).At(witnessed(f))
		x.edit(fmt.Sprintf("Let “%s” not reduce below %s", r.Title(), p.MAP), r, func(r *pricing.Rule) {
			r.Floor = &pricing.Floor{Amount: p.MAP}
		})
	case flags.OverMaxOff:
	default:
		x.edit(fmt.Sprintf("Let “%s” not reduce below the cost", r.Title()), r, func(r *pricing.Rule) { r.Floor = &pricing.Floor{Cost: true} })
		margin := x.guardOf(f)
		if margin.Sign() == 0 { // what rounding may take off the cost itself is left
			margin = money.Int(1)
		}
		if margin.Sign() > 0 {
			x.edit(fmt.Sprintf("Let “%s” leave a margin of %s %%", r.Title(), margin), r, func(r *pricing.Rule) {
				r.Floor = &pricing.Floor{Margin: &margin}
			})
			if c := x.channelOf(f); c != nil && (c.FeePercent.Sign() > 0 || c.FeeAmount.Sign() > 0) {
				x.edit(fmt.Sprintf("Let “%s” leave a margin of %s %% after the channel’s fee", r.Title(), margin), r,
					func(r *pricing.Rule) { r.Floor = &pricing.Floor{Margin: &margin, WithFee: true} })
			}
		}
	}
}

// witnessed is the moment at which a flag is shown.
func witnessed(f *bookfile.FlagAnswer) pricing.Moment {
	at, err := pricing.ParseMoment(f.Witness.At)
	if err != nil { // it was written by the program
		panic(fmt.Sprintf("flagsearch: the witness of a flag is at %q: %v", f.Witness.At, err))
	}
	return at
}

// channelOf is the one in which a flag is shown; nil: none.
func (x *fixer) channelOf(f *bookfile.FlagAnswer) *pricing.Channel {
	for i := range x.snap.Book.Channels {
		if c := &x.snap.Book.Channels[i]; c.Code == f.Witness.Channel {
			return c
		}
	}
	return nil
}

func (x *fixer) guardOf(f *bookfile.FlagAnswer) money.Rat {
	sku := f.SKU
	e, err := x.snap.Engine.Examine(pricing.Viewpoint{At: witnessed(f)})
	p, known := x.snap.Engine.ProductNumber(sku)
	if err != nil || !known {
		return money.Int(0)
	}
	return e.MinMargin(p)
}

// raise lifts a list price that loses by itself to where nothing is lost, or where the guard is kept.
func (x *fixer) raise(f *bookfile.FlagAnswer, cause *pricing.Rule) {
	p := x.snap.Product(f.SKU)
	if cause != nil || p == nil || f.Price == nil {
		return
	}
	at := witnessed(f)
	list := p.At(at).List
	if list == nil {
		return
	}
	number, _ := x.snap.Engine.ProductNumber(f.SKU)
	vp := pricing.Viewpoint{Channel: f.Witness.Channel, At: at}
	e, err := x.snap.Engine.Examine(vp)
	if err != nil {
		return
	}
	digits, _ := money.Digits(x.snap.Book.Settings.Currency)
	for _, to := range []struct {
		words  string
		margin money.Rat
	}{{"the cost", money.Int(0)}, {"what the guard wants", e.MinMargin(number)}} {
		least, known := e.ListFor(number, to.margin)
		if !known || to.words != "the cost" && to.margin.Sign() <= 0 {
			continue
		}
		if least = least.Round(digits, money.Up); list.Less(least) {
			x.fixes = append(x.fixes, Fix{fmt.Sprintf("Raise the list price from %s to %s, %s", list.Fixed(digits),
				least.Fixed(digits), to.words), []book.Change{book.OfProduct(p, p.Put(pricing.ListFigure, at, &least))}})
		}
	}
}

// leaveOut keeps a product out of a rule.
func (x *fixer) leaveOut(r *pricing.Rule, sku string) {
	if r == nil || sku == "" {
		return
	}
	p := x.snap.Product(sku)
	if p == nil {
		return
	}
	name := p.Name
	if name == "" {
		name = sku
	}
	x.edit(fmt.Sprintf("Leave %s out of “%s”", name, r.Title()), r, func(r *pricing.Rule) { r.Where = without(r.Where, sku) })
}

// without is a selection less one product; products that are left out already stay together.
func without(w pricing.Where, sku string) pricing.Where {
	if w.Field == pricing.FieldAll && len(w.Parts) > 0 {
		last := &w.Parts[len(w.Parts)-1]
		if last.Field == pricing.FieldNot && last.Parts[0].Field == pricing.FieldSKU {
			parts := slices.Clone(w.Parts)
			parts[len(parts)-1] = not(append(slices.Clone(last.Parts[0].Values), sku)...)
			return pricing.Where{Field: pricing.FieldAll, Parts: parts}
		}
		return pricing.Where{Field: pricing.FieldAll, Parts: append(slices.Clone(w.Parts), not(sku))}
	}
	if w.Field == pricing.FieldAll {
		return not(sku)
	}
	return pricing.Where{Field: pricing.FieldAll, Parts: []pricing.Where{w, not(sku)}}
}

func not(skus ...string) pricing.Where {
	return pricing.Where{Field: pricing.FieldNot, Parts: []pricing.Where{{Field: pricing.FieldSKU, Values: skus}}}
}

// end ends a rule where a flag begins.
func (x *fixer) end(r *pricing.Rule, f *bookfile.FlagAnswer) {
	at, err := pricing.ParseMoment(f.Witness.At)
	if r == nil || err != nil || r.Window != nil && r.Window.From != nil && *r.Window.From >= at {
		return
	}
	x.edit(fmt.Sprintf("End “%s” on %s", r.Title(), at.Format("2 January 2006 15:04")), r, func(r *pricing.Rule) {
		w := pricing.Window{}
		if r.Window != nil {
			w = *r.Window
		}
		w.To, r.Window = &at, &w
	})
}

// before lets a rule be looked at before another.
func (x *fixer) before(first, second string) {
	a, b := x.snap.Rule(first), x.snap.Rule(second)
	if a == nil || b == nil || a.Layer != b.Layer {
		return
	}
	x.edit(fmt.Sprintf("Let “%s” come before “%s”", a.Title(), b.Title()), b, func(r *pricing.Rule) { r.Rank = a.Rank + 1 })
}

func (x *fixer) off(r *pricing.Rule) {
	if r != nil {
		x.edit(fmt.Sprintf("Switch “%s” off", r.Title()), r, func(r *pricing.Rule) { r.Status = pricing.Off })
	}
}

// sortBreaks gives higher breaks the better effects.
func (x *fixer) sortBreaks(r *pricing.Rule, f *bookfile.FlagAnswer) {
	if r == nil {
		a, err := x.snap.Engine.Price(f.Question())
		if err != nil {
			return
		}
		for _, code := range a.Rules {
			if other := x.snap.Rule(code); other != nil && len(other.Breaks) > 1 {
				r = other
			}
		}
	}
	if r == nil || len(r.Breaks) < 2 {
		return
	}
	kind := r.Breaks[0].Effect.Kind
	better := 1 // a higher value lowers the price
	switch kind {
	case pricing.PercentOff, pricing.AmountOff:
	case pricing.PercentOn, pricing.AmountOn, pricing.SetPrice, pricing.Markup, pricing.ToMargin:
		better = -1
	default:
		return
	}
	if slices.ContainsFunc(r.Breaks, func(b pricing.Break) bool { return b.Effect.Kind != kind }) {
		return
	}
	x.edit(fmt.Sprintf("Put the breaks of “%s” in the order of their effects", r.Title()), r, func(r *pricing.Rule) {
		var effects []pricing.Effect
		for _, b := range r.Breaks {
			effects = append(effects, b.Effect)
		}
		slices.SortStableFunc(effects, func(a, b pricing.Effect) int { return better * a.Value.Cmp(b.Value) })
		breaks := slices.Clone(r.Breaks)
		for i := range breaks {
			breaks[i].Effect = effects[i]
		}
		r.Breaks = breaks
	})
}

// notReduced keeps promotions off what a sale has reduced.
func (x *fixer) notReduced(rules []string) {
	for _, code := range rules {
		r := x.snap.Rule(code)
		if r == nil || r.Layer != pricing.Promotion || r.Counting.Count == "selection" {
			continue
		}
		x.edit(fmt.Sprintf("Let “%s” leave reduced goods alone", r.Title()), r, func(r *pricing.Rule) {
			r.Where = pricing.Where{Field: pricing.FieldAll,
				Parts: []pricing.Where{r.Where, {Field: pricing.FieldReduced, Reduced: false}}}
		})
	}
}

// whole ends a rule's prices on whole amounts.
func (x *fixer) whole(r *pricing.Rule) {
	if r == nil || x.modeOf(r) == pricing.Add {
		return
	}
	for _, to := range []pricing.Direction{pricing.DownTo, pricing.UpTo} {
		x.edit(fmt.Sprintf("End the prices of “%s” on whole amounts, %s", r.Title(), to), r, func(r *pricing.Rule) {
			r.Ending = &pricing.Ending{Step: money.Int(1), Direction: to}
		})
	}
}

// withinLimits takes the nearest percent that the channel takes.
func (x *fixer) withinLimits(r *pricing.Rule, f *bookfile.FlagAnswer) {
	c := x.snap.Channel(f.Channel)
	if r == nil || c == nil || c.Limits == nil || r.Effect == nil || r.Effect.Kind != pricing.PercentOff {
		return
	}
	for _, percent := range []*money.Rat{c.Limits.MaxOffPercent, c.Limits.MinOffPercent} {
		if percent == nil || percent == c.Limits.MaxOffPercent && !percent.Less(r.Effect.Value) ||
			percent == c.Limits.MinOffPercent && !r.Effect.Value.Less(*percent) {
			continue
		}
		x.edit(fmt.Sprintf("Take %s %% off with “%s”", percent, r.Title()), r, func(r *pricing.Rule) {
			e := *r.Effect
			e.Value, r.Effect = *percent, &e
		})
	}
}

// notIn keeps a rule out of a channel.
func (x *fixer) notIn(r *pricing.Rule, channel string) {
	c := x.snap.Channel(channel)
	if r == nil || c == nil {
		return
	}
	var left []string
	for i := range x.snap.Book.Channels {
		code := x.snap.Book.Channels[i].Code
		if code != channel && (r.Channels == nil || slices.Contains(r.Channels, code)) {
			left = append(left, code)
		}
	}
	if len(left) > 0 {
		x.edit(fmt.Sprintf("Leave %s out of “%s”", c.Title(), r.Title()), r, func(r *pricing.Rule) { r.Channels = left })
	}
}

// later begins a rule when the channel can know of it.
func (x *fixer) later(r *pricing.Rule, f *bookfile.FlagAnswer) {
	c := x.snap.Channel(f.Channel)
	at, err := pricing.ParseMoment(f.Witness.At)
	if r == nil || r.Window == nil || r.Window.From == nil || err != nil ||
		c == nil || c.Limits == nil || c.Limits.LeadHours == nil {
		return
	}
	seconds, fits := c.Limits.LeadHours.Mul(money.Int(int64(pricing.Hour))).Minor(0, money.Up)
	if !fits {
		return
	}
	begins := at + pricing.Moment(seconds)
	begins += (pricing.Hour - begins%pricing.Hour) % pricing.Hour
	x.edit(fmt.Sprintf("Begin “%s” on %s", r.Title(), begins.Format("2 January 2006 15:04")), r, func(r *pricing.Rule) {
		w := *r.Window
		w.From, r.Window = &begins, &w
	})
}

// raising is the rule that raised a price most; nil: none did.
func (x *fixer) raising(f *bookfile.FlagAnswer) *pricing.Rule {
	a, err := x.snap.Engine.Price(f.Question())
	if err != nil {
		return nil
	}
	code, most := "", money.Int(0)
	for _, p := range a.Portions {
		for _, s := range p.Trail.Steps {
			if s.Before != nil && most.Less(s.After.Sub(*s.Before)) {
				code, most = s.Rule, s.After.Sub(*s.Before)
			}
		}
	}
	return x.snap.Rule(code)
}

// groupTerms keeps a product out of the rules that make it dearer for a group than for a guest.
func (x *fixer) groupTerms(f *bookfile.FlagAnswer) {
	q := f.Question()
	theirs, err := x.snap.Engine.Price(q)
	if err != nil {
		return
	}
	q.Viewpoint = q.Guest()
	public, err := x.snap.Engine.Price(q)
	if err != nil {
		return
	}
	for _, code := range theirs.Rules {
		if !slices.Contains(public.Rules, code) {
			x.leaveOut(x.snap.Rule(code), f.SKU)
		}
	}
}

// costliest keeps out of an offer what loses in it.
func (x *fixer) costliest(r *pricing.Rule, f *bookfile.FlagAnswer) {
	if f.Basket == nil {
		return
	}
	for _, l := range f.Basket.Lines[:min(len(f.Basket.Lines), 3)] {
		x.leaveOut(r, l.SKU)
	}
}

// asStocked gives an offer out as often as its goods last.
func (x *fixer) asStocked(r *pricing.Rule) {
	if r == nil || r.Offer == nil {
		return
	}
	lasts, known := flags.Lasts(x.snap.Engine, r)
	if n, fits := lasts.Minor(0, money.Down); known && fits && n > 0 {
		x.edit(fmt.Sprintf("Give “%s” out %d times, as often as the goods last", r.Title(), n), r, func(r *pricing.Rule) {
			o, stock := *r.Offer, int(n)
			o.Stock, r.Offer = &stock, &o
		})
	}
}

func (x *fixer) withoutWord(r *pricing.Rule, word string) {
	if r == nil || r.Offer == nil || r.Offer.Codes == nil || len(r.Offer.Codes.Words) < 2 {
		return
	}
	x.edit(fmt.Sprintf("Take the word %s from “%s”", word, r.Title()), r, func(r *pricing.Rule) {
		o, c := *r.Offer, *r.Offer.Codes
		c.Words = slices.DeleteFunc(slices.Clone(c.Words), func(w string) bool { return w == word })
		o.Codes, r.Offer = &c, &o
	})
}
