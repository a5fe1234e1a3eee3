package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/demo"
)

// The page that connects a shop in five steps does so, as it is written, with nothing but a shell and curl.
func TestAShopInFiveSteps(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	page, err := os.ReadFile("../docs/channels.md")
	require.NoError(t, err)
	_, steps, found := strings.Cut(string(page), "## A shop in five steps")
	require.True(t, found)
	_, steps, _ = strings.Cut(steps, "```sh\n")
	steps, _, found = strings.Cut(steps, "```")
	require.True(t, found)
	require.Contains(t, steps, "D=http://127.0.0.1:4180\n")
	steps = strings.Replace(steps, "D=http://127.0.0.1:4180\n", "D="+p.url+"\n", 1)
	steps = strings.Replace(steps, "PASSWORD", demo.Password, 1)
	dir := t.TempDir()
	cmd := exec.CommandContext(t.Context(), "bash", "-euo", "pipefail", "-c", steps)
	cmd.Dir = dir
	out, err := cmd.Output()
	require.NoError(t, err, string(out))
	prices, err := os.ReadFile(filepath.Join(dir, "prices.csv"))
	require.NoError(t, err)
	require.True(t, strings.HasPrefix(string(prices), "sku,name,price,reference,currency,from_quantity,group,as,until,method,ask\r\n"))
	require.Contains(t, string(prices), "\r\nKF-01-30,")
	said := string(out)
	require.Contains(t, said, "304")
	require.Equal(t, 2, strings.Count(said, `"sku":"KF-01-30"`), "the quote and the order: %s", said)
	require.Contains(t, said, `"total":`)
}
