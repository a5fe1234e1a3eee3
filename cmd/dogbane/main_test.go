package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/owenrumney/go-sarif/v3/pkg/report/v210/sarif"
	"github.com/spf13/cobra"
	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
)

// call executes a command with arguments and gives what it printed.
func call(t *testing.T, c *cobra.Command, args ...string) (string, string, error) {
	t.Helper()
	var out, errs bytes.Buffer
	c.SetArgs(args)
	c.SetOut(&out)
	c.SetErr(&errs)
	c.SilenceUsage, c.SilenceErrors = true, true
	err := c.Execute()
	return out.String(), errs.String(), err
}

const example = "../../internal/bookfile/testdata/ending-from-two.json"

// A script reads the exit code: 0 agreed, 1 a difference, 2 a file that cannot be read.
func TestCheckSaysByItsExitCode(t *testing.T) {
	out, _, err := call(t, checkCommand(), example)
	require.NoError(t, err)
	require.Equal(t, "1 files agree\n", out)

	data, err := os.ReadFile(example)
	require.NoError(t, err)
	wrong := filepath.Join(t.TempDir(), "wrong.json")
	require.NoError(t, os.WriteFile(wrong, []byte(strings.Replace(string(data), `"unit": "54.95"`, `"unit": "54.96"`, 1)),
		0o644))
	out, _, err = call(t, checkCommand(), example, wrong)
	var code exit
	require.True(t, errors.As(err, &code))
	require.Equal(t, exit(1), code)
	require.Contains(t, out, `expect[1].is.unit`)
	require.Contains(t, out, `54.96`)

	broken := filepath.Join(t.TempDir(), "broken.json")
	require.NoError(t, os.WriteFile(broken, []byte(`{"book":`), 0o644))
	out, said, err := call(t, checkCommand(), wrong, broken, filepath.Join(t.TempDir(), "none.json"))
	require.True(t, errors.As(err, &code))
	require.Equal(t, exit(2), code, "a file that cannot be read weighs more than a difference")
	require.Contains(t, out, "54.96", "the others are checked all the same")
	require.Contains(t, said, "broken.json")
	require.Contains(t, said, "none.json")
}

// What price prints is JSON that holds the answers in the order asked.
func TestPriceAnswersWithTrails(t *testing.T) {
	file := filepath.Join(t.TempDir(), "ask.json")
	require.NoError(t, os.WriteFile(file,
		[]byte(`{"book":{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"products":[{"sku":"A","list":"10.00"},{"sku":"B"}],
		"rules":[{"code":"HALF","layer":"sale","rank":1,"where":{"all":[]},"effect":{"percentOff":"50"}}]},
		"ask":[{"sku":"B","at":"2026-11-26T10:00"},{"sku":"A","at":"2026-11-26T10:00"}]}`), 0o644))
	out, _, err := call(t, priceCommand(), file)
	require.NoError(t, err)
	var answers []map[string]any
	require.NoError(t, json.Unmarshal([]byte(out), &answers))
	require.Len(t, answers, 2)
	require.Contains(t, out, `"HALF"`)
	require.Nil(t, answers[0]["unit"])
	require.Equal(t, "5.00", answers[1]["unit"])

	require.NoError(t, os.WriteFile(file,
		[]byte(`{"book":{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"}},"ask":[{"sku":"GONE","at":"2026-11-26T10:00"}]}`), 0o644))
	_, _, err = call(t, priceCommand(), file)
	require.ErrorContains(t, err, "GONE")
}

func TestSchemaAndDescriptionAreJSON(t *testing.T) {
	for _, c := range []*cobra.Command{schemaCommand(), openapiCommand()} {
		out, _, err := call(t, c)
		require.NoError(t, err)
		require.True(t, json.Valid([]byte(out)), c.Name())
	}
}

// What flags prints names the trouble with a question that shows it.
func TestFlagsAnswersWithWitnesses(t *testing.T) {
	file := filepath.Join(t.TempDir(), "ask.json")
	require.NoError(t, os.WriteFile(file, []byte(`{"book":{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},
		"channels":[{"code":"web"}],"products":[{"sku":"A & <B>","list":"10.00","cost":"8.00"}],
		"rules":[{"code":"HALF","layer":"sale","rank":1,"where":{"all":[]},"effect":{"percentOff":"50"},
			"window":{"from":"2026-11-27T00:00","to":"2026-11-28T00:00"}}]},
		"ask":[{"flags":{"from":"2026-11-26T00:00","to":"2026-11-30T00:00"}}]}`), 0o644))
	out, _, err := call(t, flagsCommand(), file)
	require.ErrorIs(t, err, exit(1))
	require.Contains(t, out, `"A & <B>"`, "names are written as they are")
	var answers []struct {
		Kind, Channel string
		Witness       struct{ At string }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &answers))
	require.NotEmpty(t, answers)
	for _, a := range answers {
		require.Equal(t, "below-cost", a.Kind)
		require.Equal(t, "2026-11-27T00:00", a.Witness.At, a.Channel)
	}
}

// A file that cannot be read, or that holds no questions of the kind, is named with what is wrong.
func TestFilesThatCannotBeAsked(t *testing.T) {
	dir := t.TempDir()
	for name, c := range map[string]*cobra.Command{"price": priceCommand(), "flags": flagsCommand()} {
		_, _, err := call(t, c, filepath.Join(dir, "none.json"))
		require.ErrorIs(t, err, os.ErrNotExist, name)
	}
	file := filepath.Join(dir, "odd & <b>.json")
	for text, said := range map[string]string{
		`{"book":`: ".json: not JSON",
		`{"book":{"book":"dogbane/1","settings":{"currency":"EURO","timeZone":"UTC"}},"ask":[]}`: "settings.currency",
		`{"book":{"book":"dogbane/99","settings":{"currency":"EUR","timeZone":"UTC"}},"ask":[]}`: "newer",
	} {
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
		_, _, err := call(t, priceCommand(), file)
		require.ErrorContains(t, err, "odd & <b>.json", text)
		require.ErrorContains(t, err, said, text)
	}
}

// A file of codes is taken whole or refused with the line that is wrong.
func TestFilesOfCodes(t *testing.T) {
	doc := `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"rules":[
		{"code":"FAIR","layer":"promotion","rank":1,"where":{"all":[]},"offer":{"codes":{"listed":true},"gives":{"to":"basket","percentOff":"5"}}},
		{"code":"OTHER","layer":"promotion","rank":2,"where":{"all":[]},"offer":{"gives":{"to":"basket","percentOff":"5"}}}]}`
	book, err := bookfile.Decode([]byte(doc))
	require.NoError(t, err)
	for text, want := range map[string]string{
		"rule,code\r\nFAIR,ONE-1\r\nFAIR,TWO-2\r\n": "",
		"rule,code\nFAIR,ONE-1\nOTHER,TWO-2\n":      `line 3: the book has no offer "OTHER" with codes beside it`,
		"FAIR,small-1\n":                            `line 1: "small-1" must be 3 to 40`,
		"FAIR,\"=1+1\"\n":                           `line 1: "=1+1" must be`,
		"rule\n":                                    "line 1: must hold a rule and a code",
	} {
		file := filepath.Join(t.TempDir(), "codes.csv")
		require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
		words, err := readCodes(file, book)
		if want == "" {
			require.NoError(t, err)
			require.Equal(t, map[string][]string{"FAIR": {"ONE-1", "TWO-2"}}, words)
		} else {
			require.ErrorContains(t, err, want)
		}
	}
}

const losing = `{
 "book": "dogbane/1",
 "settings": {"currency": "EUR", "timeZone": "Europe/Amsterdam"},
 "products": [
  {"sku": "A & <b>", "list": "10.00", "cost": "11.00"},
  {"sku": "B", "list": "10.00", "cost": "1.00"}
 ],
 "rules": []
}`

// A book kept in version control is looked at as it is: the exit code tells of errors, and each flag has its line.
func TestFlagsOfABook(t *testing.T) {
	file := filepath.Join(t.TempDir(), "book.json")
	require.NoError(t, os.WriteFile(file, []byte(losing), 0o644))
	out, _, err := call(t, flagsCommand(), file, "--format", "text", "--from", "2026-11-27T10:00")
	var code exit
	require.True(t, errors.As(err, &code))
	require.Equal(t, exit(1), code)
	require.Equal(t, file+":5: error: below-cost: A & <b>, price 10.00, cost 11.00, left -1.00, at 2026-11-27T10:00\n", out)

	out, _, err = call(t, flagsCommand(), file, "--format", "sarif")
	require.True(t, errors.As(err, &code))
	report, err := sarif.FromString(out)
	require.NoError(t, err)
	require.NoError(t, report.Validate(), "against the schema of SARIF 2.1.0")
	require.Len(t, report.Runs[0].Results, 1)
	require.Equal(t, 5, *report.Runs[0].Results[0].Locations[0].PhysicalLocation.Region.StartLine)

	fine := filepath.Join(t.TempDir(), "fine.json")
	require.NoError(t, os.WriteFile(fine, []byte(strings.Replace(losing, `"11.00"`, `"9.00"`, 1)), 0o644))
	out, _, err = call(t, flagsCommand(), fine)
	require.NoError(t, err)
	require.JSONEq(t, "[]", out)
	for _, wrong := range [][]string{{fine, "--from", "soon"}, {fine, "--days", "0"}, {"none.json"}} {
		_, _, err := call(t, flagsCommand(), wrong...)
		require.ErrorAs(t, err, &unreadable{}, "%v", wrong)
		require.ErrorContains(t, err, wrong[0])
	}
	_, _, err = call(t, flagsCommand(), fine, "--format", "xml")
	require.ErrorContains(t, err, "none of json, text and sarif")
}
