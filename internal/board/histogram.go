package board

import "dogbane/internal/money"

// Histogram counts products by a percent, in bins of equal width.
type Histogram struct {
	From   int     `json:"from" doc:"percent at which the first bin begins; it also holds all below"`
	Width  int     `json:"width"`
	Counts []int   `json:"counts" doc:"the last one also holds all above"`
	Mean   *string `json:"mean"`
}

// Histograms are those of what a board shows.
type Histograms struct {
	Total  int       `json:"total"`
	Margin Histogram `json:"margin"`
	Change Histogram `json:"change"`
}

const (
	marginBins, marginFrom, marginWidth = 12, -20, 10
	changeBins, changeFrom, changeWidth = 10, -50, 10
)

// Histograms count what the board shows.
func (v *View) Histograms() Histograms {
	margins := v.sweep.Margins()
	return Histograms{Total: len(v.Products),
		Margin: histogram(v.Products, marginFrom, marginWidth, marginBins, func(p int32) (int64, bool) {
			return Share(margins.Net[p], margins.Amount[p], margins.Known[p])
		}),
		Change: histogram(v.Products, changeFrom, changeWidth, changeBins, func(p int32) (int64, bool) {
			share, known := v.changeShare(p)
			return share, known && share != 0
		})}
}

// histogram counts shares in millionths.
func histogram(list []int32, from, width, bins int, share func(p int32) (int64, bool)) Histogram {
	h := Histogram{From: from, Width: width, Counts: make([]int, bins)}
	var values []int64
	for _, p := range list {
		n, known := share(p)
		if !known {
			continue
		}
		values = append(values, n)
		at := (n - int64(from)*10_000)
		bin := int(at / (int64(width) * 10_000))
		if at < 0 {
			bin = 0
		}
		h.Counts[min(bin, bins-1)]++
	}
	h.Mean = Mean(values)
	return h
}

// Mean is the mean of millionths as a percent with one decimal.
func Mean(values []int64) *string {
	if len(values) == 0 {
		return nil
	}
	var sum int64
	for _, v := range values {
		sum += v
	}
	text := money.Ratio(sum, int64(len(values))).Mul(money.Ratio(1, 10_000)).Fixed(1)
	return &text
}

// Share is a margin in millionths of the net price; false where there is none.
func Share(net, margin int64, known bool) (int64, bool) {
	if !known || net == 0 {
		return 0, false
	}
	return margin * 1_000_000 / net, true
}

// Changes counts changes, in millionths of what was, as a board does.
func Changes(shares []int64) Histogram {
	list := make([]int32, len(shares))
	for i := range list {
		list[i] = int32(i)
	}
	return histogram(list, changeFrom, changeWidth, changeBins, func(p int32) (int64, bool) { return shares[p], true })
}
