package board

import (
	"cmp"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Column is one of the columns that a board's prices are spread over.
type Column struct {
	Key  string `json:"key"`
	Name string `json:"name"`
}

const spreadColumns = 10

// viewpoints makes the viewpoints of a board that is spread by something.
func viewpoints(snap *book.Snapshot, by string, vp pricing.Viewpoint) ([]Column, []pricing.Viewpoint, error) {
	var columns []Column
	var vps []pricing.Viewpoint
	add := func(key, name string, change func(*pricing.Viewpoint)) {
		if len(columns) < spreadColumns {
			one := vp
			change(&one)
			columns, vps = append(columns, Column{key, name}), append(vps, one)
		}
	}
	b := snap.Book
	switch by {
	case "":
	case "group":
		add("", "everyone", func(v *pricing.Viewpoint) { *v = v.Guest() })
		for _, g := range b.Groups {
			add("group:"+g.Code, cmp.Or(g.Name, g.Code), func(v *pricing.Viewpoint) {
				*v = v.Guest()
				v.Groups = []string{
					g.Code}
			})
		}
	case "channel":
		for _, c := range b.Channels {
			add(c.Code, cmp.Or(c.Name, c.Code), func(v *pricing.Viewpoint) { v.Channel = c.Code })
		}
	case "quantity":
		for _, n := range b.Quantities() {
			add(money.Int(int64(n)).String(), money.Int(int64(n)).String(), func(v *pricing.Viewpoint) { v.Quantity = n })
		}
	case "changes":
		add(vp.At.String(), vp.At.String(), func(*pricing.Viewpoint) {})
		for _, m := range snap.Engine.Changes(vp.At, vp.At+60*pricing.Day, spreadColumns, vp.With) {
			add(m.String(), m.String(), func(v *pricing.Viewpoint) { v.At = m })
		}
	default:
		return nil, nil, &pricing.QuestionError{Path: "spread", Problem: "must be group, quantity, channel or changes"}
	}
	return columns, vps, nil
}

// spread are the sweeps of a board's columns.
func (v *View) spread(by string) ([]Column, []*Sweep, error) {
	columns, vps, err := viewpoints(v.Snap, by, v.Viewpoint)
	if err != nil {
		return nil, nil, err
	}
	sweeps := make([]*Sweep, len(vps))
	for i, vp := range vps {
		if sweeps[i], err = v.boards.Sweeps.Of(v.Snap, vp); err != nil {
			return nil, nil, err
		}
	}
	return columns, sweeps, nil
}
