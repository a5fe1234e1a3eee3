package codes_test

import (
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/codes"
)

// Made codes differ, read aloud as one thing only, and spell no word.
func TestMadeCodes(t *testing.T) {
	t.Parallel()
	b := codes.Batch{Prefix: "FAIR-", Length: 8, Count: 20_000}
	words, err := b.Make()
	require.NoError(t, err)
	seen := map[string]bool{}
	for _, w := range words {
		require.False(t, seen[w])
		seen[w] = true
		require.Regexp(t, codes.Form, w)
		drawn := strings.TrimPrefix(w, "FAIR-")
		require.Len(t, drawn, 8)
		require.NotRegexp(t, regexp.MustCompile(`[AEIOUY01348]`), drawn, "a vowel, or a digit that stands for one")
		require.NotRegexp(t, regexp.MustCompile(`[BDGLQSVZ25]`), drawn, "is taken for another")
	}
	require.Len(t, seen, 20_000)
}

// What could be guessed, or is no code, is refused by its key.
func TestBatchesThatAreRefused(t *testing.T) {
	t.Parallel()
	for want, b := range map[string]codes.Batch{
		"count":  {Length: 8},
		"prefix": {Prefix: "fair", Length: 8, Count: 1},
		"length": {Length: 4, Count: 100_000}, // 50,625 of four letters
	} {
		wrong := b.Check()
		require.NotNil(t, wrong, want)
		require.Equal(t, want, wrong.Key)
	}
	require.Nil(t, (&codes.Batch{Length: 8, Count: 100_000}).Check())
	wrong := (&codes.Batch{Prefix: strings.Repeat("A", 20), Length: 21, Count: 1}).Check()
	require.Equal(t, "length", wrong.Key)
}

// A list or a CSV file is read; every line that holds no code is named, and what is written small is no code.
func TestRead(t *testing.T) {
	t.Parallel()
	words, bad := codes.Read("\ufeffCode,uses\r\nFAIR-777,1\r\n\"FAIR-779\";2\n\nFAIR-777\nfair-799\n=1+1\nÉCOLE-1\nAB\n")
	require.Equal(t, []string{"FAIR-777", "FAIR-779"}, words)
	var lines []int
	for _, b := range bad {
		lines = append(lines, b.Line)
	}
	require.Equal(t, []int{5, 6, 7, 8, 9}, lines)
}
