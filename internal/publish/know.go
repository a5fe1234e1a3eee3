package publish

import (
	"encoding/json"
	"maps"
	"time"

	"dogbane/internal/money"
	"dogbane/internal/publish/telling"
)

// Know is what is known of a channel: what it shows, which lines are open there, and which rules it took.
type Know struct {
	Shown map[string]telling.Shown
	Later map[string]Later // what it will show from a later instant on
	Until *time.Time       // when the first of that begins
	Open  map[string]Open
	Rules map[string]json.RawMessage
}

// Later is what a channel will show of a product; nil: nothing.
type Later struct {
	*telling.Shown
	From time.Time
}

// Open says why a channel does not show, or may not show, what the book says of a product.
type Open struct {
	Unanswered, Behind, Held bool
	HeldPrice                *money.Rat // the price that was taken back; nil: the product's removal was
	LeftOut                  bool
	Left                     telling.Digest // what it was when it was left out: it stays so as long as it is that
	Since                    int64          // the first publication since which the line is open
}

// holds reports whether a line is held back: it was taken back, and the book still says what was taken back.
func (o Open) holds(price *money.Rat) bool { return o.Held && telling.SameAmount(o.HeldPrice, price) }

// unlike are the SKUs of which something else was known than is of now: what the channel shows, or what is open there.
func (k *Know) unlike(now *Know) (skus []string) {
	if k == now {
		return nil
	}
	for sku, is := range now.Shown {
		if was, shown := k.Shown[sku]; !shown || !was.Same(&is) {
			skus = append(skus, sku)
		}
	}
	for sku := range k.Shown {
		if _, shown := now.Shown[sku]; !shown {
			skus = append(skus, sku)
		}
	}
	for sku, is := range now.Open {
		if was, open := k.Open[sku]; !open || !was.same(is) {
			skus = append(skus, sku)
		}
	}
	for sku := range k.Open {
		if _, open := now.Open[sku]; !open {
			skus = append(skus, sku)
		}
	}
	return skus
}

func (o Open) same(other Open) bool {
	return o.Unanswered == other.Unanswered && o.Behind == other.Behind && o.Held == other.Held &&
		o.LeftOut == other.LeftOut && o.Left == other.Left && o.Since == other.Since &&
		telling.SameAmount(o.HeldPrice, other.HeldPrice)
}

// later is what is known as it will be when everything that the channel was told ahead is shown.
func (k *Know) later() *Know {
	if len(k.Later) == 0 {
		return k
	}
	next := *k
	next.Shown = maps.Clone(k.Shown)
	for sku, later := range k.Later {
		if later.Shown == nil {
			delete(next.Shown, sku)
		} else {
			next.Shown[sku] = *later.Shown
		}
	}
	return &next
}
