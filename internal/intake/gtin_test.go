package intake

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Values of the tests of the barcode library github.com/boombuler/barcode, and the worked example of GS1's page on
// check digits (629104150021 gives 3).
func TestGTIN(t *testing.T) {
	for _, good := range []string{"5901234123457", "55123457", "6291041500213", "036000291452", "10614141000415"} {
		require.NoError(t, CheckGTIN(good), good)
	}
	for bad, says := range map[string]string{
		"55123458": "would be 7", "5901234123450": "would be 7", "590123412345": "would be 2", "": "0 digits",
		"59012341234x7": "made of digits", "5901234123457 ": "mistyped", "123": "8, 12, 13 or 14",
	} {
		if strings.HasSuffix(bad, " ") {
			says = "made of digits"
		}
		err := CheckGTIN(bad)
		require.Error(t, err, bad)
		require.Contains(t, err.Error(), says, bad)
	}
}

// One wrong digit is always found: what the check digit is for.
func TestGTINFindsOneWrongDigit(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for range 300 {
		digits := []byte("5901234123457")
		at := rng.IntN(len(digits))
		digits[at] = '0' + (digits[at]-'0'+byte(1+rng.IntN(9)))%10
		require.Error(t, CheckGTIN(string(digits)), string(digits))
	}
}
