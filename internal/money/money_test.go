package money

import (
	"math/big"
	"math/rand/v2"
	"testing"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/require"
)

func TestParse(t *testing.T) {
	for text, want := range map[string]string{"19.99": "19.99", "-0.05": "-0.05", "20": "20", "007.50": "7.5", "0": "0",
		"123456789012345678901234567890.5": "123456789012345678901234567890.5"} {
		r, err := Parse(text)
		require.NoError(t, err, text)
		require.Equal(t, want, r.String())
	}
	for _, text := range []string{"", "-", ".", "1.", ".5", "+1", "1,5", "1e3", " 1", "1 ", "0x1", "1.2.3", "--1", "NaN",
		"1_000", "٣",
		"1234567890123456789012345678901234567890.1"} {
		_, err := Parse(text)
		require.Error(t, err, "%q", text)
	}
}

// Every operation agrees with math/big on random numbers, small ones and ones whose products leave 64 bits.
func TestArithmeticAgreesWithBigRat(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	random := func() (Rat, *big.Rat) {
		n, d := rng.Int64N(1<<rng.IntN(62)+1), rng.Int64N(1<<rng.IntN(40)+1)+1
		if rng.IntN(2) == 0 {
			n = -n
		}
		return Rat{n: n, d: d}, big.NewRat(n, d)
	}
	for range 20_000 {
		a, x := random()
		b, y := random()
		require.Zero(t, a.Add(b).toBig().Cmp(new(big.Rat).Add(x, y)))
		require.Zero(t, a.Sub(b).toBig().Cmp(new(big.Rat).Sub(x, y)))
		require.Zero(t, a.Mul(b).toBig().Cmp(new(big.Rat).Mul(x, y)))
		require.Equal(t, x.Cmp(y), a.Cmp(b))
		require.Equal(t, x.Sign(), a.Sign())
		if b.Sign() != 0 {
			require.Zero(t, a.Div(b).toBig().Cmp(new(big.Rat).Quo(x, y)))
		}
	}
}

// The sum of many amounts without tax is exact, and takes hardly any memory: nearly all of it fits into 63 bits.
func TestSumsOfManyStaySmall(t *testing.T) {
	var amounts []Rat
	want := new(big.Rat)
	for i := range int64(20_000) {
		gross, rate := 100+i*7919%500_000, []int64{12100, 10900, 10600, 10000}[i%4]
		amounts = append(amounts, Ratio(gross, rate).Mul(Int(i%90)))
		want.Add(want, new(big.Rat).Mul(big.NewRat(gross, rate), big.NewRat(i%90, 1)))
	}
	var sum Rat
	allocated := testing.AllocsPerRun(1, func() {
		sum = Int(0)
		for _, a := range amounts {
			sum = sum.Add(a)
		}
	})
	require.Zero(t, want.Cmp(sum.toBig()))
	require.Less(t, allocated, 1000.0)
}

// Rounding to the nearest agrees with an established decimal library (cockroachdb/apd), which implements half_up and
// half_even of the General Decimal Arithmetic specification. Up and Down are held against whole-number division: that
// library's ceiling and floor give 0 where every digit is dropped.
func TestRoundingAgreesWithADecimalLibrary(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	modes := map[Mode]apd.Rounder{HalfUp: apd.RoundHalfUp, HalfEven: apd.RoundHalfEven}
	for range 20_000 {
		coefficient, exponent := rng.Int64N(2_000_000)-1_000_000, -int32(rng.IntN(7))
		digits := rng.IntN(4)
		d := apd.New(coefficient, exponent)
		r, err := Parse(d.Text('f'))
		require.NoError(t, err)
		for mode, rounder := range modes {
			var want apd.Decimal
			ctx := apd.BaseContext.WithPrecision(40)
			ctx.Rounding = rounder
			_, err := ctx.Quantize(&want, d, -int32(digits))
			require.NoError(t, err)
			if want.IsZero() {
				want.Negative = false
			}
			n, fits := r.Minor(digits, mode)
			require.True(t, fits)
			require.Equal(t, want.Text('f'), FormatMinor(n, digits), "%s to %d digits, mode %d", d, digits, mode)
			require.Equal(t, n, r.Round(digits, mode).Mul(Int(pow10[digits])).whole(HalfUp).Int64())
		}
		scaled := r.Mul(Int(pow10[digits])).toBig()
		floor := new(big.Int).Div(scaled.Num(), scaled.Denom()) // Euclidean: the denominator is above 0
		n, _ := r.Minor(digits, Down)
		require.Equal(t, floor.Int64(), n)
		up, _ := r.Minor(digits, Up)
		if !scaled.IsInt() {
			floor.Add(floor, big.NewInt(1))
		}
		require.Equal(t, floor.Int64(), up)
	}
}

func TestRoundingTies(t *testing.T) {
	half := MustParse("2.5")
	for mode, want := range map[Mode]string{HalfUp: "3", HalfEven: "2", Up: "3", Down: "2"} {
		require.Equal(t, want, half.Round(0, mode).String())
		require.Equal(t, map[Mode]string{HalfUp: "-3", HalfEven: "-2", Up: "-2", Down: "-3"}[mode],
			half.Neg().Round(0, mode).String())
	}
	third := Int(1).Div(Int(3))
	require.Equal(t, "1/3", third.String())
	require.Equal(t, "0.33", third.Fixed(2))
}

// A number that does not fit into 64 bits rounds as exactly as one that does.
func TestRoundingOfGreatNumbers(t *testing.T) {
	r := MustParse("98765432109876543210.125")
	require.Equal(t, "98765432109876543210.13", r.Fixed(2))
	require.Equal(t, "98765432109876543210.12", r.Round(2, HalfEven).String())
	_, fits := r.Minor(2, HalfUp)
	require.False(t, fits)
}

// The seat example that is printed with Hamilton's method in textbooks of apportionment: 47000, 16000, 15900, 12000,
// 6000 and 3100 votes over 10 seats give 5, 2, 1, 1, 1, 0.
func TestSpreadLargestRemainder(t *testing.T) {
	require.Equal(t, []int64{5, 2, 1, 1, 1, 0}, Spread(10, rats(47000, 16000, 15900, 12000, 6000, 3100)))
	require.Equal(t, []int64{34, 33, 33}, Spread(100, rats(1, 1, 1)))
	require.Equal(t, []int64{1, 1, 0}, Spread(2, rats(0, 0, 0)))
	require.Empty(t, Spread(5, nil))
}

func rats(ns ...int64) (rs []Rat) {
	for _, n := range ns {
		rs = append(rs, Int(n))
	}
	return rs
}

func FuzzSpreadMakesTheWhole(f *testing.F) {
	f.Add(int64(70), int64(80), int64(80), int64(80), int64(0))
	f.Fuzz(func(t *testing.T, whole, a, b, c, d int64) {
		weights := rats(a&(1<<40-1), b&(1<<40-1), c&(1<<40-1), d&(1<<40-1))
		whole &= 1<<40 - 1
		var sum int64
		for _, part := range Spread(whole, weights) {
			require.GreaterOrEqual(t, part, int64(0))
			sum += part
		}
		require.Equal(t, whole, sum)
	})
}

// ISO 4217 minor units, from memory of the standard's list one.
func TestCurrencyDigits(t *testing.T) {
	for code, want := range map[string]int{"EUR": 2, "GBP": 2, "JPY": 0, "KWD": 3, "CLP": 0, "ISK": 0, "HUF": 2} {
		d, known := Digits(code)
		require.True(t, known, code)
		require.Equal(t, want, d, code)
	}
	_, known := Digits("XYZ")
	require.False(t, known)
}
