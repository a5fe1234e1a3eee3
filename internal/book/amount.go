package book

import "dogbane/internal/money"

// MostAmount is above every amount that a book may hold.
var MostAmount = money.Int(1_000_000_000_000_000)

// TooManyDigits says that an amount is not below MostAmount.
const TooManyDigits = "An amount has at most 15 digits before the point."

// ReadAmount reads an amount of a form. Its error is an *InvalidError at the field.
func ReadAmount(field, text string, mayBeNegative bool) (money.Rat, error) {
	a, err := money.Parse(text)
	switch {
	case err != nil:
		return a, Invalid(field, "Write a number such as 5 or 0.95, with a point.")
	case a.Sign() < 0 && !mayBeNegative:
		return a, Invalid(field, "It must not be negative.")
	case !a.Less(MostAmount) || !a.Neg().Less(MostAmount):
		return a, Invalid(field, TooManyDigits)
	}
	return a, nil
}
