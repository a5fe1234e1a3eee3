package money

import (
	"bufio"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// vectors are the lines of a file of the General Decimal Arithmetic test cases (speleotrove.com/decimal), as they ship
// in the test data of the module cockroachdb/apd.
func vectors(t *testing.T, file string) []string {
	t.Helper()
	dir, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "github.com/cockroachdb/apd/v3").Output()
	require.NoError(t, err)
	f, err := os.Open(filepath.Join(strings.TrimSpace(string(dir)), "testdata", file))
	require.NoError(t, err)
	defer f.Close()
	var lines []string
	for s := bufio.NewScanner(f); s.Scan(); {
		lines = append(lines, s.Text())
	}
	return lines
}

// Rounding by every mode that a book or a limit uses, to decimals (quantize.decTest) and to whole numbers
// (tointegral.decTest).
func TestRoundingAgainstGeneralDecimalArithmetic(t *testing.T) {
	modes := map[string]Mode{"half_up": HalfUp, "half_even": HalfEven, "ceiling": Up, "floor": Down}
	plain := func(s string) string { return strings.Trim(s, "'") }
	checked := map[string]int{}
	for _, op := range []string{"quantize", "tointegral"} {
		name := ""
		for _, line := range vectors(t, op+".decTest") {
			if word, value, isSetting := strings.Cut(line, ":"); isSetting &&
				strings.TrimSpace(strings.ToLower(word)) == "rounding" {
				name = strings.TrimSpace(strings.ToLower(value))
				continue
			}
			f := strings.Fields(line)
			mode, known := modes[name]
			arrow := slices.Index(f, "->")
			if len(f) < 5 || f[1] != op || arrow < 3 || arrow+1 >= len(f) || !known {
				continue
			}
			number, err := Parse(plain(f[2]))
			places, want := "", plain(f[arrow+1])
			if op == "quantize" {
				if strings.ContainsAny(plain(f[3]), "eE") {
					continue
				}
				_, places, _ = strings.Cut(plain(f[3]), ".")
			}
			// Exponents, special values and more decimals than currencies have are not ours.
			if err != nil || strings.ContainsAny(want, "eE?Nn") || len(places) > 6 {
				continue
			}
			expected, err := Parse(want)
			require.NoError(t, err, line)
			have := number.Round(len(places), mode)
			require.True(t, have.Equal(expected), "%s by %s: have %s", line, name, have)
			checked[name]++
		}
	}
	for name := range modes {
		require.Greater(t, checked[name], 5, name)
	}
}

// Sums, differences and products against add, subtract and multiply.decTest, as far as those are exact.
func TestArithmeticAgainstGeneralDecimalArithmetic(t *testing.T) {
	for file, op := range map[string]func(a, b Rat) Rat{"add": Rat.Add, "subtract": Rat.Sub, "multiply": Rat.Mul} {
		checked, precision := 0, 0
		for _, line := range vectors(t, file+".decTest") {
			if word, value, isSetting := strings.Cut(line, ":"); isSetting &&
				strings.TrimSpace(strings.ToLower(word)) == "precision" {
				precision, _ = strconv.Atoi(strings.TrimSpace(value))
			}
			f := strings.Fields(line)
			if len(f) < 6 || f[1] != file || f[4] != "->" || precision == 0 {
				continue
			}
			inexact := strings.Contains(strings.ToLower(strings.Join(f[6:], " ")), "inexact")
			a, err1 := Parse(strings.Trim(f[2], "'"))
			b, err2 := Parse(strings.Trim(f[3], "'"))
			want, err3 := Parse(strings.Trim(f[5], "'"))
			if inexact || err1 != nil || err2 != nil || err3 != nil {
				continue
			}
			require.True(t, op(a, b).Equal(want), line)
			checked++
		}
		require.Greater(t, checked, 40, file)
	}
}

// Where CLDR 48 (npm cldr-core, supplemental/currencyData.json) drops minor units that ISO 4217 lists, ISO rules here.
func TestCurrencyDigitsAreThoseOfISO(t *testing.T) {
	for _, code := range strings.Fields("AFN ALL COP HUF IDR IRR KPW LAK LBP MGA MMK PKR RSD SOS SYP YER") {
		d, known := Digits(code)
		require.True(t, known, code)
		require.Equal(t, 2, d, code)
	}
	d, known := Digits("IQD")
	require.True(t, known)
	require.Equal(t, 3, d)
}
