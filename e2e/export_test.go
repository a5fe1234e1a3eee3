package e2e

import (
	"encoding/csv"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/money"
)

// A spreadsheet written here says in gnumeric, a second reader, what the CSV export says.
func TestSpreadsheetInASecondReader(t *testing.T) {
	t.Parallel()
	reader, err := exec.LookPath("ssconvert")
	require.NoError(t, err, "./test installs Debian's gnumeric")
	p := start(t, t.TempDir())
	client := p.client(t, "tessel")
	get := func(format string) string {
		status, text := ask(t, client, http.MethodGet, p.url+"/api/export?channel=web&spread=group&format="+format, nil)
		require.Equal(t, http.StatusOK, status)
		return text
	}
	want, err := csv.NewReader(strings.NewReader(get("csv"))).ReadAll()
	require.NoError(t, err)
	dir := t.TempDir()
	sheet, out := filepath.Join(dir, "prices.xlsx"), filepath.Join(dir, "prices.csv")
	require.NoError(t, os.WriteFile(sheet, []byte(get("xlsx")), 0o644))
	said, err := exec.Command(reader, sheet, out).CombinedOutput()
	require.NoError(t, err, string(said))
	file, err := os.Open(out)
	require.NoError(t, err)
	defer file.Close()
	have, err := csv.NewReader(file).ReadAll()
	require.NoError(t, err)
	require.Equal(t, len(want), len(have))
	numbers := 0
	for i := range want {
		require.Equal(t, len(want[i]), len(have[i]), "row %d", i)
		for k, cell := range want[i] {
			a, err1 := money.Parse(cell)
			b, err2 := money.Parse(have[i][k])
			if i > 0 && err1 == nil && err2 == nil {
				numbers++
				// The reader writes out the binary number that the format stores, to its last digit.
				require.True(t, a.Equal(b.Round(4, money.HalfUp)), "row %d, column %d: %s and %s", i, k, cell, have[i][k])
				continue
			}
			require.Equal(t, strings.TrimPrefix(cell, "'"), have[i][k], "row %d, column %d", i, k)
		}
	}
	require.Greater(t, numbers, 3000)
}
