package money

import "github.com/bojanz/currency"

// Digits is the number of minor-unit digits that ISO 4217 gives a currency (EUR 2, JPY 0, BHD 3) and whether the
// standard lists the code at all. Where CLDR differs from ISO (it drops the minor unit of currencies whose coins are
// out of use), ISO rules here: channels bill in ISO units.
func Digits(code string) (int, bool) {
	d, ok := currency.GetDigits(code)
	return int(d), ok
}
