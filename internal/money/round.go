package money

import (
	"math/big"
	"math/bits"
	"slices"
	"strings"
)

// Mode says how a tie between two neighbours is rounded.
type Mode int

// The rounding modes of a price book. HalfUp takes a tie away from zero (2.5 → 3, −2.5 → −3), HalfEven to the even
// neighbour; Up and Down round every remainder towards plus and minus infinity.
const (
	HalfUp Mode = iota
	HalfEven
	Up
	Down
)

var pow10 = [...]int64{1, 10, 100, 1_000, 10_000, 100_000, 1_000_000}

// Minor rounds a to a whole number of units of 10^-digits (0 ≤ digits ≤ 6) and reports false where that number does
// not fit into 63 bits.
func (a Rat) Minor(digits int, mode Mode) (int64, bool) {
	if a.big == nil {
		if n, ok := RoundRatio(a.n, a.den(), digits, mode); ok {
			return n, true
		}
	}
	q := a.Mul(Int(pow10[digits])).whole(mode)
	return q.Int64(), q.IsInt64()
}

// RoundRatio is Minor for n/d, d above 0; false where a result or an intermediate does not fit.
func RoundRatio(n, d int64, digits int, mode Mode) (int64, bool) {
	unit := pow10[digits]
	if d == unit {
		return n, true
	}
	hi, lo := bits.Mul64(abs64(n), uint64(unit))
	if hi >= uint64(d) {
		return 0, false
	}
	q, rem := Quotient(hi, lo, uint64(d))
	if q >= 1<<62 {
		return 0, false
	}
	return roundQuotient(int64(q), rem, uint64(d), n < 0, mode), true
}

// Quotient divides the 128-bit number hi·2⁶⁴ + lo by d, which must be above hi. Short numbers take the processor's
// short division, which costs a fraction of the long one.
func Quotient(hi, lo, d uint64) (q, rem uint64) {
	switch {
	case hi != 0:
		return bits.Div64(hi, lo, d)
	case (lo|d)>>32 == 0:
		return uint64(uint32(lo) / uint32(d)), uint64(uint32(lo) % uint32(d))
	}
	return lo / d, lo % d
}

// roundQuotient rounds ±(q + rem/d).
func roundQuotient(q int64, rem, d uint64, negative bool, mode Mode) int64 {
	up := false // away from zero
	switch mode {
	case HalfUp:
		up = rem >= d-rem && rem > 0
	case HalfEven:
		up = rem > d-rem || rem == d-rem && q&1 == 1
	case Up:
		up = rem > 0 && !negative
	case Down:
		up = rem > 0 && negative
	}
	if up {
		q++
	}
	if negative {
		return -q
	}
	return q
}

// whole rounds to an integer of any size.
func (a Rat) whole(mode Mode) *big.Int {
	r := a.toBig()
	q, rem := new(big.Int).QuoRem(r.Num(), r.Denom(), new(big.Int))
	if rem.Sign() == 0 {
		return q
	}
	away := big.NewInt(int64(r.Sign()))
	half := new(big.Int).Abs(rem)
	half.Lsh(half, 1)
	c := half.Cmp(r.Denom())
	switch mode {
	case HalfUp:
		if c >= 0 {
			q.Add(q, away)
		}
	case HalfEven:
		if c > 0 || c == 0 && q.Bit(0) == 1 {
			q.Add(q, away)
		}
	case Up:
		if r.Sign() > 0 {
			q.Add(q, away)
		}
	case Down:
		if r.Sign() < 0 {
			q.Add(q, away)
		}
	}
	return q
}

// Round rounds a to digits decimal places (0 ≤ digits ≤ 6).
func (a Rat) Round(digits int, mode Mode) Rat {
	if n, ok := a.Minor(digits, mode); ok {
		return Rat{n: n, d: pow10[digits]}
	}
	q := a.Mul(Int(pow10[digits])).whole(mode)
	return fromBig(new(big.Rat).SetFrac(q, big.NewInt(pow10[digits])))
}

// Fixed writes a, rounded half up, with exactly that many decimal places: "54.40".
func (a Rat) Fixed(digits int) string {
	n, ok := a.Minor(digits, HalfUp)
	if !ok {
		return a.Round(digits, HalfUp).toBig().FloatString(digits)
	}
	return FormatMinor(n, digits)
}

// FormatMinor writes n units of 10^-digits as a decimal: 5440 with 2 digits is "54.40".
func FormatMinor(n int64, digits int) string {
	var b [32]byte
	i, u := len(b), abs64(n)
	for k := 0; k <= digits || u > 0; k++ {
		if k == digits && digits > 0 {
			i--
			b[i] = '.'
		}
		i--
		b[i] = byte('0' + u%10)
		u /= 10
	}
	if n < 0 {
		i--
		b[i] = '-'
	}
	return strings.Clone(string(b[i:]))
}

// FromMinor is the amount of n units of 10^-digits.
func FromMinor(n int64, digits int) Rat { return Rat{n: n, d: pow10[digits]} }

// Spread divides whole among the weights by largest remainder (Hamilton's method): every part is the exact share
// rounded down, and the units left over go to the largest remainders, ties to the earlier part. The parts always sum
// to whole. Weights must not be negative; where all are 0, the first parts get the units.
func Spread(whole int64, weights []Rat) []int64 {
	parts := make([]int64, len(weights))
	if len(weights) == 0 {
		return parts
	}
	sum := Int(0)
	for _, w := range weights {
		sum = sum.Add(w)
	}
	equal := sum.Sign() == 0
	if equal {
		sum = Int(int64(len(weights)))
	}
	left := whole
	rest, order := make([]Rat, len(weights)), make([]int, len(weights))
	for i, w := range weights {
		if equal {
			w = Int(1)
		}
		share := Int(whole).Mul(w).Div(sum)
		parts[i], _ = share.Minor(0, Down) // at most whole
		rest[i], order[i] = share.Sub(Int(parts[i])), i
		left -= parts[i]
	}
	slices.SortStableFunc(order, func(i, j int) int { return rest[j].Cmp(rest[i]) })
	for _, i := range order[:left] {
		parts[i]++
	}
	return parts
}

// Millionths is a in whole millionths, and whether it is a whole number of them that fits into 62 bits.
func (a Rat) Millionths() (int64, bool) {
	d := a.den()
	if a.big != nil || 1_000_000%d != 0 {
		return 0, false
	}
	n, fits := mul64(a.n, 1_000_000/d)
	return n, fits && abs64(n) < 1<<62
}

// Parts are numerator and denominator (above 0) where both fit into 63 bits. They need not be in lowest terms.
func (a Rat) Parts() (n, d int64, fits bool) { return a.n, a.den(), a.big == nil }
