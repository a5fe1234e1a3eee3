package publish

import (
	"cmp"
	"context"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

// Cause is a rule or campaign that opens or closes at a due moment of a channel.
type Cause struct {
	Kind  string // book.Rules or book.Campaigns
	Code  string
	Opens bool
	Lines int // that change at that moment, and that it selects
	Rules int // of a campaign: rules of its own that turn along with it, which are no causes by themselves
}

// Along are the rules of a campaign whose own windows open or close with it at a moment.
func Along(b *pricing.Book, campaign string, at pricing.Moment, opens bool) (rules []*pricing.Rule) {
	for i := range b.Rules {
		if r := &b.Rules[i]; r.Campaign == campaign && r.Status == pricing.On {
			if o, flips := r.Window.Flips(at); flips && o == opens {
				rules = append(rules, r)
			}
		}
	}
	return rules
}

// Causes are what makes lines of a channel differ at a due moment, in a version of the book; those that select most
// first. A rule that turns with its campaign is not told beside it.
func Causes(version *book.Snapshot, channel string, due *DueMoment) []Cause {
	changed := version.Engine.SetOf(due.Changed)
	lines := map[Cause]pricing.Set{}
	note := func(kind, code string, w *pricing.Window, hits pricing.Set) {
		if opens, flips := w.Flips(due.At); flips {
			c := Cause{Kind: kind, Code: code, Opens: opens}
			if others := lines[c]; others != nil {
				hits = hits.Or(others)
			}
			lines[c] = hits
		}
	}
	here := func(list []string) bool { return list == nil || slices.Contains(list, channel) }
	version.Engine.Rules(func(ordinal int, r *pricing.Rule, _ pricing.Set) {
		campaign := version.Engine.Campaign(ordinal)
		if r.Offer != nil || r.Status != pricing.On || !here(r.Channels) || // no line tells of an offer
			campaign != nil && (campaign.Status != pricing.On || !here(campaign.Channels)) {
			return
		}
		hits := changed.And(version.Engine.Reaches(ordinal))
		if hits.Count() == 0 {
			return
		}
		if campaign == nil {
			note(book.Rules, r.Code, r.Window, hits)
			return
		}
		opens, flips := campaign.Window.Flips(due.At)
		if along, turns := r.Window.Flips(due.At); !flips || turns && along != opens {
			note(book.Rules, r.Code, r.Window, hits)
		}
		note(book.Campaigns, campaign.Code, campaign.Window, hits)
	})
	list := make([]Cause, 0, len(lines))
	for c, hits := range lines {
		if c.Lines = hits.Count(); c.Kind == book.Campaigns {
			c.Rules = len(Along(version.Book, c.Code, due.At, c.Opens))
		}
		list = append(list, c)
	}
	slices.SortFunc(list, func(a, b Cause) int {
		return cmp.Or(cmp.Compare(b.Lines, a.Lines), cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Code, b.Code))
	})
	return list
}

// PrepareSome builds a publication by hand of some products alone; those of again are told their lines even where they
// are the same, as how long they hold is not. What is blocked is left out. Its errors are those of Prepare.
func (d *Desk) PrepareSome(ctx context.Context, snap *book.Snapshot, channel, who string, some pricing.Set,
	again []string) (Publication, error) {
	if err := d.linked(ctx, channel); err != nil {
		return Publication{}, err
	}
	var found *Differences
	var err error
	if at := snap.Moment(d.now()); len(again) > 0 {
		found, err = d.restating(ctx, snap, channel, at, again)
	} else {
		found, err = d.at(ctx, snap, channel, at, false) // with lines
	}
	if err != nil {
		return Publication{}, err
	}
	w := Wish{Who: who}
	told := setOf(again)
	for i := range found.Rows {
		r := &found.Rows[i]
		switch wanted := told[r.SKU] || r.Product >= 0 && some.Has(r.Product); {
		case wanted && !r.Blocked():
			w.Only = append(w.Only, r.SKU)
		case r.Blocked():
			w.LeaveOut = append(w.LeaveOut, r.SKU)
		}
	}
	if len(w.Only) == 0 && found.Rules.None() {
		return Publication{}, ErrNothing
	}
	if len(w.Only) == 0 { // the rules alone
		for i := range found.Rows {
			w.LeaveOut = append(w.LeaveOut, found.Rows[i].SKU)
		}
	}
	rows, err := w.rows(found)
	if err != nil {
		return Publication{}, err
	}
	p := Publication{Channel: channel, Version: snap.Version, At: found.At, Prepared: d.now(), Who: who, Kind: ByHand,
		State: Prepared, Rules: found.Rules, Named: Named{Worth: found.worthOf(rows)}}
	if err := d.keeper.KeepBook(ctx, p.Version, func() []byte { return bookfile.Encode(snap.Book) }); err != nil {
		return p, err
	}
	return p, d.keeper.Prepare(ctx, &p, rows)
}

// restating are the differences of a channel, with the lines of some products though they are the same.
func (d *Desk) restating(ctx context.Context, snap *book.Snapshot, channel string, at pricing.Moment,
	again []string) (*Differences, error) {
	if len(again) == 0 {
		return d.Differences(ctx, snap, channel, at)
	}
	found, err := d.at(ctx, snap, channel, at, false)
	if err != nil {
		return nil, err
	}
	whole, err := d.at(ctx, snap, channel, at, true)
	if err != nil {
		return nil, err
	}
	listed, told := map[string]bool{}, setOf(again)
	for i := range found.Rows {
		listed[found.Rows[i].SKU] = true
	}
	whole.Rows = slices.DeleteFunc(whole.Rows, func(r Difference) bool { return !listed[r.SKU] && !told[r.SKU] })
	whole.Rules, whole.states = found.Rules, found.states
	return whole, nil
}

// toldAgain are the products of rows that are told although nothing changes.
func toldAgain(rows []Row) (skus []string) {
	for i := range rows {
		if rows[i].Kind == Again {
			skus = append(skus, rows[i].SKU)
		}
	}
	return skus
}
