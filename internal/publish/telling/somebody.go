package telling

import "dogbane/internal/pricing"

// to is how somebody is told the prices, instead of all that the channel knows.
func (t *Telling) To(vp pricing.Viewpoint) *Telling {
	own := *t
	own.Groups, own.buyer = nil, vp
	return &own
}

// tell are the lines of some products that have a price, in their order, with how long each holds.
func (t *Telling) Tell(at pricing.Moment, before *Reductions, products []int32) ([]Told, error) {
	some := t.Engine.SetOf(products)
	lines, err := t.AtSome(at, before, some)
	if err != nil {
		return nil, err
	}
	told := make([]Told, len(products))
	is := make([]bool, len(products))
	pricing.InParallel(len(products), func(from, to int) {
		for i := from; i < to; i++ {
			told[i], is[i] = lines.Of(products[i])
		}
	})
	digests := map[int32]Digest{}
	list := told[:0]
	for i := range told {
		if is[i] {
			digests[told[i].Product] = told[i].Digest()
			list = append(list, told[i])
		}
	}
	untils, err := lines.Untils(some, digests)
	if err != nil {
		return nil, err
	}
	for i := range list {
		if until, ends := untils[list[i].Product]; ends {
			list[i].Until = t.Instant(until)
		}
	}
	return list, nil
}
