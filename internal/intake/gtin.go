package intake

import "fmt"

// CheckGTIN checks a GTIN-8, -12, -13 or -14 as section 7.9 of the GS1 General Specifications does: digits weigh 3 and
// 1 in turn from the right, and the last one fills the sum up to a multiple of ten.
func CheckGTIN(text string) error {
	switch len(text) {
	case 8, 12, 13, 14:
	default:
		return fmt.Errorf("has %d digits; a GTIN has 8, 12, 13 or 14", len(text))
	}
	sum := 0
	for i, c := range []byte(text) {
		if c < '0' || c > '9' {
			return fmt.Errorf("holds %q; a GTIN is made of digits", string(c))
		}
		if i < len(text)-1 {
			weight := 1
			if (len(text)-1-i)%2 == 1 {
				weight = 3
			}
			sum += weight * int(c-'0')
		}
	}
	if want := byte('0' + (10-sum%10)%10); text[len(text)-1] != want {
		return fmt.Errorf("is mistyped: by the digits before it, the last one would be %c", want)
	}
	return nil
}
