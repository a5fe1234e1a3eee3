package bookfile_test

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/bookfile/bookfiletest"
)

// through is what the front end's forms make of a piece: web/src/testing/through-forms.ts.
type through struct {
	Same    json.RawMessage
	Unshown []string
	Changed []struct {
		At  []string
		Doc json.RawMessage
	}
}

// forms builds the front end's forms into a program that reads a piece a line, and runs it.
func forms(t *testing.T, pieces []byte) []through {
	t.Helper()
	web, err := filepath.Abs("../../web")
	require.NoError(t, err)
	out, err := os.MkdirTemp(filepath.Join(web, "node_modules"), ".forms-")
	require.NoError(t, err, "the packages of the front end are missing: ./test quick installs them")
	t.Cleanup(func() { _ = os.RemoveAll(out) })
	build := exec.Command("node_modules/.bin/vite", "build", "--ssr", "src/testing/through-forms.main.ts", "--outDir", out)
	build.Dir = web
	said, err := build.CombinedOutput()
	require.NoError(t, err, "%s", said)
	run := exec.Command("node", filepath.Join(out, "through-forms.main.js"))
	run.Stdin = bytes.NewReader(pieces)
	var answer, complaint bytes.Buffer
	run.Stdout, run.Stderr = &answer, &complaint
	require.NoError(t, run.Run(), "%s", complaint.String())
	var all []through
	lines := bufio.NewScanner(&answer)
	lines.Buffer(nil, 1<<24)
	for lines.Scan() {
		var one through
		require.NoError(t, json.Unmarshal(lines.Bytes(), &one))
		all = append(all, one)
	}
	return all
}

// Whatever a piece says comes out of the forms as it went in; and where one field is changed, that field alone differs.
func TestPiecesThroughForms(t *testing.T) {
	if testing.Short() {
		t.Skip("builds the front end's forms")
	}
	many := 400
	if os.Getenv("DOGBANE_LONG") != "" {
		many = 4_000
	}
	type piece struct {
		kind string
		doc  []byte
	}
	var pieces []piece
	var in bytes.Buffer
	seen := map[string]map[string]bool{}
	r := rand.New(rand.NewPCG(26, 1))
	for _, kind := range []string{"rules", "campaigns", "ladders", "ranges", "channels", "customers", "products", "settings"} {
		n := many
		if kind == "rules" {
			n *= 5
		}
		seen[kind] = map[string]bool{}
		for tries := 0; n > 0; tries++ {
			require.Less(t, tries, 400*many, "pieces of the kind %s that a book takes are too rare", kind)
			doc, err := bookfile.Canonical(kind, bookfiletest.Piece(r, kind))
			if err != nil {
				continue // what the schema cannot say
			}
			n--
			pieces = append(pieces, piece{kind, doc})
			fmt.Fprintf(&in, "{\"kind\":%q,\"doc\":%s}\n", kind, doc)
			var keys map[string]any
			require.NoError(t, json.Unmarshal(doc, &keys))
			for key := range keys {
				seen[kind][key] = true
			}
		}
	}
	require.Subset(t, slices.Collect(maps.Keys(seen["rules"])), []string{"window", "audience", "breaks", "count", "measure",
		"ladder", "offer", "order", "of", "on", "ending", "maxOff", "floor", "show", "liveTags", "hireMatch", "historyDays"})
	all := forms(t, in.Bytes())
	require.Len(t, all, len(pieces))
	unshown := map[string]int{}
	for i, p := range pieces {
		same, err := bookfile.Canonical(p.kind, all[i].Same)
		require.NoError(t, err, "%s", p.doc)
		require.Equal(t, string(p.doc), string(same), "%s that nobody touched", p.kind)
		for _, words := range all[i].Unshown {
			unshown[words]++
		}
		for _, c := range all[i].Changed {
			after, err := bookfile.Canonical(p.kind, c.Doc)
			if err != nil {
				continue // the new value does not go with the others, which the program says beside it
			}
			for _, path := range differ("", decoded(t, p.doc), decoded(t, after)) {
				require.True(t, slices.ContainsFunc(c.At, func(at string) bool {
					return path == at || strings.HasPrefix(path, at+".") || strings.HasPrefix(path, at+"[") || strings.HasPrefix(at, path+".")
				}), "a change of %v changed %s, too:\n%s\n%s", c.At, path, p.doc, after)
			}
		}
	}
	t.Log("not shown, and kept: ", unshown)
}

func decoded(t *testing.T, doc []byte) (v any) {
	t.Helper()
	require.NoError(t, json.Unmarshal(doc, &v))
	return v
}

// differ are the paths at which two documents differ.
func differ(path string, a, b any) (paths []string) {
	ma, isA := a.(map[string]any)
	mb, isB := b.(map[string]any)
	if !isA || !isB {
		was, _ := json.Marshal(a)
		if is, _ := json.Marshal(b); string(was) != string(is) {
			return []string{path}
		}
		return nil
	}
	keys := maps.Clone(ma)
	maps.Copy(keys, mb)
	for key := range keys {
		at := strings.TrimPrefix(path+"."+key, ".")
		paths = append(paths, differ(at, ma[key], mb[key])...)
	}
	return paths
}
