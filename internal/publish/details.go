package publish

import (
	"context"
	"encoding/json"
	"fmt"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/publish/telling"
)

// Details are what some rows of differences say otherwise than the lines that the channel took, by SKU.
func (d *Desk) Details(ctx context.Context, snap *book.Snapshot, channel string, c Choice, rows []Difference) (
	map[string][]telling.LineChange, error) {
	e, err := d.Published(ctx, snap, channel)
	if err != nil {
		return nil, err
	}
	to, err := d.target(snap, channel, e, c)
	if err != nil {
		return nil, err
	}
	some := &Differences{Channel: channel, At: snap.Moment(d.now()), Rows: rows}
	if some, err = d.withLines(ctx, to.Snapshot, channel, some); err != nil {
		return nil, err
	}
	skus := make([]string, len(rows))
	is := map[string]*telling.Line{}
	for i := range some.Rows {
		skus[i], is[some.Rows[i].SKU] = some.Rows[i].SKU, some.Rows[i].Line
	}
	took, err := d.keeper.LinesOf(ctx, channel, d.now(), skus)
	if err != nil {
		return nil, err
	}
	changes := map[string][]telling.LineChange{}
	for i := range took {
		next := is[took[i].SKU]
		if next == nil {
			continue
		}
		digits, _ := money.Digits(took[i].Currency)
		was := telling.Line{Price: took[i].Price.Fixed(digits)}
		if took[i].Line != nil {
			if err := json.Unmarshal(took[i].Line, &was); err != nil {
				return nil, fmt.Errorf("read what is shown of %q: %w", took[i].SKU, err)
			}
		}
		changes[took[i].SKU] = telling.LineChanges(&was, next)
	}
	return changes, nil
}
