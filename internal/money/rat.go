// Package money holds exact numbers and what is done with them: parsing, rounding to a currency's minor units, and
// spreading an amount so that the parts make the whole. It knows nothing of prices or rules.
package money

import (
	"fmt"
	"math/big"
	"math/bits"
	"strings"
)

// Rat is an exact rational number. Amounts and percents are short decimals, so numerator and denominator nearly always
// fit into 64 bits; where a result would not, the number carries a big.Rat instead. No operation ever rounds; the
// zero value is 0. Rats are compared with Cmp or Equal, not with ==.
type Rat struct {
	n, d int64    // n/d when big is nil; d == 0 stands for 1, so that the zero value is 0
	big  *big.Rat // never changed once made
}

// Int is the whole number n.
func Int(n int64) Rat { return Rat{n: n, d: 1} }

// Ratio is n/d; d must not be 0.
func Ratio(n, d int64) Rat {
	if d > 0 && n != -1<<63 {
		return Rat{n: n, d: d}.Reduce()
	}
	return fromBig(new(big.Rat).SetFrac64(n, d))
}

func fromBig(r *big.Rat) Rat {
	if r.Num().IsInt64() && r.Denom().IsInt64() && r.Num().Int64() != -1<<63 {
		return Rat{n: r.Num().Int64(), d: r.Denom().Int64()}
	}
	return Rat{big: r}
}

// maxLength bounds what Parse accepts: far beyond any price, and short enough that no input can stall the program.
const maxLength = 40

// Parse reads a plain decimal such as "19.99", "-0.05" or "20": digits, at most one point with digits on both sides,
// no exponent, no sign but a minus, no spaces, no separators.
func Parse(s string) (Rat, error) {
	body := strings.TrimPrefix(s, "-")
	whole, frac, point := strings.Cut(body, ".")
	if whole == "" || point && frac == "" || !digits(whole) || !digits(frac) {
		return Rat{}, fmt.Errorf("%q is not a decimal number such as \"19.99\"", s)
	}
	if len(s) > maxLength {
		return Rat{}, fmt.Errorf("%q has more than %d characters", s, maxLength)
	}
	if len(whole)+len(frac) <= 18 {
		var n, d int64 = 0, 1
		for _, c := range []byte(whole + frac) {
			n = n*10 + int64(c-'0')
		}
		for range frac {
			d *= 10
		}
		if len(body) < len(s) {
			n = -n
		}
		return Rat{n: n, d: d}, nil
	}
	r, ok := new(big.Rat).SetString(s)
	if !ok {
		return Rat{}, fmt.Errorf("%q is not a decimal number such as \"19.99\"", s)
	}
	return fromBig(r), nil
}

// MustParse is Parse for constants in code and tests; it panics where Parse reports an error.
func MustParse(s string) Rat {
	r, err := Parse(s)
	if err != nil {
		panic(err)
	}
	return r
}

func digits(s string) bool {
	for i := range len(s) {
		if s[i] < '0' || s[i] > '9' {
			return false
		}
	}
	return true
}

func (a Rat) den() int64 {
	if a.d == 0 {
		return 1
	}
	return a.d
}

func (a Rat) toBig() *big.Rat {
	if a.big != nil {
		return a.big
	}
	return big.NewRat(a.n, a.den())
}

// mul64 is x×y and whether it fits; the lowest int64 is left out so that every result can be negated.
func mul64(x, y int64) (int64, bool) {
	hi, lo := bits.Mul64(abs64(x), abs64(y))
	if hi != 0 || lo > 1<<63-1 {
		return 0, false
	}
	if (x < 0) != (y < 0) {
		return -int64(lo), true
	}
	return int64(lo), true
}

func abs64(x int64) uint64 {
	if x < 0 {
		return uint64(-x)
	}
	return uint64(x)
}

func add64(x, y int64) (int64, bool) {
	s := x + y
	return s, (s > x) == (y > 0) && s != -1<<63
}

// Add is a + b.
func (a Rat) Add(b Rat) Rat {
	if a.big == nil && b.big == nil {
		ad, bd := a.den(), b.den()
		if ad == bd {
			if n, ok := add64(a.n, b.n); ok {
				return Rat{n: n, d: ad}
			}
		} else if sum, ok := add(a.n, ad, b.n, bd, 1); ok {
			return sum
		} else if sum, ok := add(a.n, ad, b.n, bd, gcd(ad, bd)); ok { // sums of many have most factors in common
			return sum
		}
	}
	return fromBig(new(big.Rat).Add(a.toBig(), b.toBig()))
}

// add is an/ad + bn/bd over a denominator without a common factor of both; false where that does not fit.
func add(an, ad, bn, bd, common int64) (Rat, bool) {
	x, ok1 := mul64(an, bd/common)
	y, ok2 := mul64(bn, ad/common)
	n, ok3 := add64(x, y)
	d, ok4 := mul64(ad/common, bd)
	return Rat{n: n, d: d}, ok1 && ok2 && ok3 && ok4
}

// Sub is a − b.
func (a Rat) Sub(b Rat) Rat { return a.Add(b.Neg()) }

// Neg is −a.
func (a Rat) Neg() Rat {
	if a.big != nil {
		return Rat{big: new(big.Rat).Neg(a.big)}
	}
	return Rat{n: -a.n, d: a.d}
}

// Mul is a × b.
func (a Rat) Mul(b Rat) Rat {
	if a.big == nil && b.big == nil {
		if n, ok := mul64(a.n, b.n); ok {
			if d, ok := mul64(a.den(), b.den()); ok {
				return Rat{n: n, d: d}
			}
		}
	}
	return fromBig(new(big.Rat).Mul(a.toBig(), b.toBig()))
}

// Div is a ÷ b; b must not be 0.
func (a Rat) Div(b Rat) Rat { return a.Mul(b.Inv()) }

// Inv is 1 ÷ a; a must not be 0.
func (a Rat) Inv() Rat {
	if a.big != nil {
		return fromBig(new(big.Rat).Inv(a.big))
	}
	switch {
	case a.n == 0:
		panic("money: division by zero")
	case a.n < 0:
		return Rat{n: -a.den(), d: -a.n}
	}
	return Rat{n: a.den(), d: a.n}
}

// Cmp is -1, 0 or 1 as a is below, equal to or above b.
func (a Rat) Cmp(b Rat) int {
	if a.big == nil && b.big == nil {
		ad, bd := a.den(), b.den()
		if ad == bd {
			return cmp64(a.n, b.n)
		}
		if sa, sb := a.Sign(), b.Sign(); sa != sb {
			return cmp64(int64(sa), int64(sb))
		}
		xh, xl := bits.Mul64(abs64(a.n), uint64(bd))
		yh, yl := bits.Mul64(abs64(b.n), uint64(ad))
		c := 0
		switch {
		case xh != yh && xh < yh || xh == yh && xl < yl:
			c = -1
		case xh != yh || xl != yl:
			c = 1
		}
		if a.n < 0 {
			return -c
		}
		return c
	}
	return a.toBig().Cmp(b.toBig())
}

func cmp64(x, y int64) int {
	switch {
	case x < y:
		return -1
	case x > y:
		return 1
	}
	return 0
}

// Equal reports whether a and b are the same number.
func (a Rat) Equal(b Rat) bool { return a.Cmp(b) == 0 }

// Less reports whether a is below b.
func (a Rat) Less(b Rat) bool { return a.Cmp(b) < 0 }

// Sign is -1, 0 or 1.
func (a Rat) Sign() int {
	if a.big != nil {
		return a.big.Sign()
	}
	return cmp64(a.n, 0)
}

// Reduce is the same number in lowest terms. Factors that are used for many prices are reduced once, so that products
// of them stay within 64 bits for longer.
func (a Rat) Reduce() Rat {
	if a.big != nil {
		return fromBig(a.big)
	}
	common := gcd(a.n, a.den())
	return Rat{n: a.n / common, d: a.den() / common}
}

// gcd is the greatest common divisor of two numbers that are not both 0.
func gcd(a, b int64) int64 {
	x, y := abs64(a), abs64(b)
	for y != 0 {
		x, y = y, x%y
	}
	return int64(x)
}

// Max is the greater of a and b, Min the lesser.
func Max(a, b Rat) Rat {
	if a.Less(b) {
		return b
	}
	return a
}

// Min is the lesser of a and b.
func Min(a, b Rat) Rat {
	if b.Less(a) {
		return b
	}
	return a
}

// PercentOf is the fraction that a percent stands for: 20 → 1/5.
func PercentOf(percent Rat) Rat { return percent.Mul(Rat{n: 1, d: 100}).Reduce() }

// String is the number as the shortest plain decimal where it has one ("19.99", "0.2"), else as a fraction ("1/3").
func (a Rat) String() string {
	r := a.toBig()
	if r.IsInt() {
		return r.Num().String()
	}
	if prec, exact := r.FloatPrec(); exact {
		return r.FloatString(prec)
	}
	return r.RatString()
}

// Float is the nearest float64, for drawing and sorting keys only, never for a price.
func (a Rat) Float() float64 {
	f, _ := a.toBig().Float64()
	return f
}
