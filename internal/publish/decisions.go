package publish

import (
	"context"
	"maps"
	"slices"
	"strings"

	"dogbane/internal/pricing"
	"dogbane/internal/publish/pieces"
	"dogbane/internal/publish/telling"
)

// plan notes with a publication what is decided of lines that differ later: what is left out, and what goes although
// it is blocked, holds at the moments that are known now. What was decided before of goods that it reaches is over.
func (d *Desk) plan(ctx context.Context, e *Edition, to *target, w *Wish, p *Publication) error {
	known, err := d.keeper.Decisions(ctx, p.Channel)
	if err != nil || to.brings == BringsNothing {
		return err
	}
	if e == nil {
		return d.planFirst(ctx, to, w, p)
	}
	reach := reachesOf(to.some, e.Engine, to.Engine)
	for sku := range known {
		if len(reach.of(sku)) > 0 {
			p.Named.Redecide = append(p.Named.Redecide, sku)
		}
	}
	slices.Sort(p.Named.Redecide)
	wanted := w.decided()
	if len(wanted) == 0 {
		return nil
	}
	now, err := d.Telling(ctx, to.Snapshot, p.Channel)
	if err != nil {
		return err
	}
	before, err := d.Telling(ctx, e.Snapshot, p.Channel)
	if err != nil {
		return err
	}
	return telling.Between(before, now, false).Differing(p.At, func(m pricing.Moment, sku string, _, _ *telling.Figure) {
		if reason, is := wanted[sku]; is && m > p.At {
			p.Named.until(sku, reason, m)
		}
	})
}

// planFirst is plan where nothing was published before: lines differ later by the book alone.
func (d *Desk) planFirst(ctx context.Context, to *target, w *Wish, p *Publication) error {
	wanted := w.decided()
	if len(wanted) == 0 {
		return nil
	}
	t, err := d.Telling(ctx, to.Snapshot, p.Channel)
	if err != nil {
		return err
	}
	lines, err := t.AtSome(p.At, nil, t.Engine.SetOf(t.Numbers(slices.Collect(maps.Keys(wanted)))))
	if err != nil {
		return err
	}
	dues, err := lines.Dues(p.At+telling.Ahead, MostDues)
	for i := range dues {
		for _, sku := range dues[i].SKUs {
			if reason, is := wanted[sku]; is {
				p.Named.until(sku, reason, dues[i].At)
			}
		}
	}
	return err
}

// decided is what somebody decided of products, by SKU: why they go although they are blocked, or "", left out.
func (w *Wish) decided() map[string]string {
	wanted := map[string]string{}
	piece := func(name string) bool { _, err := pieces.Parse(name); return err == nil }
	for _, sku := range w.LeaveOut {
		if !piece(sku) {
			wanted[sku] = ""
		}
	}
	for sku, reason := range w.Overrides {
		if reason = strings.TrimSpace(reason); !piece(sku) && reason != "" {
			wanted[sku] = reason
		}
	}
	return wanted
}

func (n *Named) until(sku, reason string, m pricing.Moment) {
	if n.Decided == nil {
		n.Decided = map[string]Decision{}
	}
	n.Decided[sku] = Decision{reason, max(m, n.Decided[sku].Until)}
}
