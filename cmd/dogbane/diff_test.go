package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

const shopBefore = `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"groups":[{"code":"trade"}],"channels":[{"code":"web"}],
	"products":[{"sku":"=A & <b>","list":"10.00"},{"sku":"B","list":"20.00","later":[{"from":"2027-01-01T00:00","list":"22.00"}]}],
	"rules":[{"code":"TRADE","layer":"group","rank":1,"where":{"sku":"=A & <b>"},"audience":{"groups":["trade"]},"effect":{"percentOff":"10"}}]}`

// Two states of a book in a repository: which pieces differ, and what moves where and for whom, at a moment.
func TestDiff(t *testing.T) {
	dir := t.TempDir()
	file := func(name, text string) string {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		return path
	}
	before := file("before.json", shopBefore)
	after := file("after.json", strings.NewReplacer(`"percentOff":"10"`, `"percentOff":"20"`, `{"sku":"B","list":"20.00",`,
		`{"sku":"C","list":"3.00"},{"sku":"B","list":"22.00",`).Replace(shopBefore))
	out, _, err := call(t, diffCommand(), before, after, "--at", "2026-11-27T10:00")
	require.ErrorIs(t, err, exit(1))
	require.Contains(t, out, "changed rules TRADE: effect")
	require.Contains(t, out, "new products C\n")
	require.Contains(t, out, "B in web for guests: 20.00 → 22.00 EUR\n")
	require.Contains(t, out, "C in no channel for trade: none → 3.00 EUR\n")
	require.Contains(t, out, "=A & <b> in web for trade: 9.00 → 8.00 EUR\n")
	require.NotContains(t, out, "=A & <b> in web for guests")
	out, _, err = call(t, diffCommand(), before, after, "--at", "2027-01-02T10:00")
	require.ErrorIs(t, err, exit(1))
	require.NotContains(t, out, "B in web", "by then it costs the same in both")
	out, _, err = call(t, diffCommand(), before, after, "--at", "2026-11-27T10:00", "--format", "csv")
	require.ErrorIs(t, err, exit(1))
	require.Contains(t, out, "web,trade,'=A & <b>,EUR,9.00,8.00\n")
	out, _, err = call(t, diffCommand(), before, before)
	require.NoError(t, err)
	require.Empty(t, out)
	_, _, err = call(t, diffCommand(), before, file("broken.json", `{"book":`))
	require.ErrorAs(t, err, &unreadable{})
	_, _, err = call(t, diffCommand(), before, after, "--at", "soon")
	require.ErrorContains(t, err, "--at")
}

// Flags that were known are not told again; what is new is, and counts.
func TestFlagsBesideABaseline(t *testing.T) {
	dir := t.TempDir()
	book, known := filepath.Join(dir, "book.json"), filepath.Join(dir, "known.json")
	require.NoError(t, os.WriteFile(book, []byte(losing), 0o600))
	out, _, err := call(t, flagsCommand(), book, "--from", "2026-11-27T10:00")
	require.ErrorIs(t, err, exit(1))
	require.NoError(t, os.WriteFile(known, []byte(out), 0o600))
	out, _, err = call(t, flagsCommand(), book, "--from", "2026-11-28T10:00", "--baseline", known, "--format", "text")
	require.NoError(t, err, "the same trouble a day later is known")
	require.Empty(t, out)
	require.NoError(t, os.WriteFile(book, []byte(strings.Replace(losing, `"1.00"`, `"12.00"`, 1)), 0o600))
	out, _, err = call(t, flagsCommand(), book, "--baseline", known, "--format", "text", "--from", "2026-11-27T10:00")
	require.ErrorIs(t, err, exit(1))
	require.Contains(t, out, ":6: error: below-cost: B")
	require.NotContains(t, out, "A & <b>")
	_, _, err = call(t, flagsCommand(), book, "--baseline", book)
	require.ErrorAs(t, err, &unreadable{})
}

// Expectations stand beside the book that they are about, in a file of its own.
func TestCheckOfABookBesideIt(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "checks"), 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "book.json"), []byte(shopBefore), 0o600))
	check := filepath.Join(dir, "checks", "trade.json")
	write := func(book, unit string) {
		require.NoError(t, os.WriteFile(check, []byte(`{"book":"`+book+`","expect":[{"price":{"sku":"=A & <b>",
			"at":"2026-11-27T10:00","group":"trade"},"is":{"unit":"`+unit+`"}}]}`), 0o600))
	}
	write("../book.json", "9.00")
	out, _, err := call(t, checkCommand(), check)
	require.NoError(t, err, out)
	write("../book.json", "9.01")
	out, _, err = call(t, checkCommand(), check)
	require.ErrorIs(t, err, exit(1))
	require.Contains(t, out, "9.01")
	write("../none.json", "9.00")
	_, said, err := call(t, checkCommand(), check)
	require.ErrorIs(t, err, exit(2))
	require.Contains(t, said, "none.json")
}
