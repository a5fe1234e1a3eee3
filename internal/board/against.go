package board

import (
	"context"
	"errors"
	"strings"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
)

// comparison gives, for each product, the price that a board's prices are held against; false where there is none.
type comparison struct {
	price Prices
	known bool // there is something to compare with at all
}

// against makes the comparison of a filter. At another moment the same is assumed of the buyer; somebody else is of the
// same country, and nothing more is assumed.
func (b *Boards) against(ctx context.Context, snap *book.Snapshot, f *Filter, sw *Sweep) (comparison, error) {
	kind, value, _ := strings.Cut(f.Against, ":")
	vp := f.Viewpoint
	other := vp
	switch kind {
	case "", "published":
		if vp.Channel == "" {
			return comparison{price: func(int32) (int64, bool) { return 0, false }}, nil
		}
		published, err := b.shown(ctx, snap, vp.Channel, sw.Digits)
		if err != nil {
			return comparison{}, err
		}
		return comparison{published, true}, nil
	case "list":
		return comparison{sw.Lists(), true}, nil
	case "at":
		at, err := pricing.ParseMoment(value)
		if err != nil {
			return comparison{}, &pricing.QuestionError{Path: "against", Problem: err.Error()}
		}
		other.At = at
		if err := b.buyers.Know(ctx, snap, &other); err != nil {
			return comparison{}, err
		}
		f.Assumed.Put(&other)
	case "who":
		other = pricing.Viewpoint{At: vp.At, Channel: vp.Channel, Country: vp.Country, Quantity: vp.Quantity, Term: vp.Term,
			With: vp.With}
		if err := errors.Join(book.SetWho(&other, value), b.buyers.Know(ctx, snap, &other)); err != nil {
			return comparison{}, err
		}
	default:
		return comparison{}, &pricing.QuestionError{Path: "against", Problem: "must be published, list, at:MOMENT or who:WHO"}
	}
	before, err := b.Sweeps.Of(snap, other)
	if err != nil {
		return comparison{}, err
	}
	return comparison{before.Price, true}, nil
}
