package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// rounds is how often something is tried: more under ./test long.
func rounds(usual, long int) int {
	if os.Getenv("DOGBANE_LONG") != "" {
		return long
	}
	return usual
}

// kill ends the program as a power cut would, and waits until the database that dies with it is gone too.
func (p *program) kill(t testing.TB) {
	t.Helper()
	require.NoError(t, p.cmd.Process.Kill())
	_ = p.cmd.Wait()
}

// No edit that was acknowledged is lost when the program is killed, at whatever moment, and the next start is whole.
func TestNoAcknowledgedEditIsLost(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	rng := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 1))
	p := start(t, data)
	p.unpin(t)
	kept := map[string]string{}
	skus := []string{"BAT-30", "BAT-35", "KILN-EL-42", "SPRIG-OLD", "APRON-SPLIT", "GIFT-CARD"}
	for range rounds(3, 30) {
		client := p.client(t, "maren")
		done := make(chan struct{})
		unsure := map[string]string{} // sent, and the program was gone before it answered
		go func() {
			defer close(done)
			for i := 0; ; i++ {
				sku := skus[i%len(skus)]
				price := fmt.Sprintf("%d.%02d", 100+rng.IntN(900), rng.IntN(100))
				body, _ := json.Marshal(map[string]string{"list": price})
				req, err := http.NewRequest("PATCH", p.url+"/api/products/"+sku, bytes.NewReader(body))
				if err != nil {
					return
				}
				req.Header.Set("Content-Type", "application/json")
				resp, err := client.Do(req)
				if err != nil {
					unsure[sku] = price
					return
				}
				_, err = io.Copy(io.Discard, resp.Body)
				resp.Body.Close()
				if resp.StatusCode != http.StatusOK || err != nil {
					unsure[sku] = price
					return
				}
				kept[sku] = price
			}
		}()
		time.Sleep(time.Duration(20+rng.IntN(900)) * time.Millisecond)
		p.kill(t)
		<-done
		p = start(t, data)
		client = p.client(t, "maren")
		for sku, price := range kept {
			status, text := ask(t, client, "GET", p.url+"/api/products/"+sku, nil)
			require.Equal(t, http.StatusOK, status, text)
			var page struct{ Doc struct{ List string } }
			require.NoError(t, json.Unmarshal([]byte(text), &page))
			if page.Doc.List == unsure[sku] {
				kept[sku] = page.Doc.List
				continue
			}
			require.Equal(t, price, page.Doc.List, sku)
		}
	}
	require.NotEmpty(t, kept)
	p.stop()
}

// A first start that is killed, at whatever moment, is begun anew by the second, which has the whole demo.
func TestAFirstStartThatIsKilled(t *testing.T) {
	t.Parallel()
	rng := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 2))
	whole := ""
	for round := range rounds(3, 14) {
		data := t.TempDir()
		first := exec.Command(binary, "serve", "--data", data, "--listen", "127.0.0.1:0", "--web", "../web/dist")
		require.NoError(t, first.Start())
		time.Sleep(time.Duration(50+rng.IntN(4500)) * time.Millisecond)
		_ = first.Process.Kill()
		_ = first.Wait()
		p := start(t, data)
		client := p.client(t, "maren")
		_, text := ask(t, client, "GET", p.url+"/api/state", nil)
		var st struct {
			Products int
			Channels []struct{ Behind int }
		}
		require.NoError(t, json.Unmarshal([]byte(text), &st))
		var sales struct{ Files []struct{ Rows int } }
		_, text = ask(t, client, "GET", p.url+"/api/sales", nil)
		require.NoError(t, json.Unmarshal([]byte(text), &sales))
		var checks struct{ Checks []any }
		_, text = ask(t, client, "GET", p.url+"/api/checks", nil)
		require.NoError(t, json.Unmarshal([]byte(text), &checks))
		said := fmt.Sprintf("%+v %+v %d", st, sales, len(checks.Checks))
		if whole == "" {
			whole = said
			require.Equal(t, 368, st.Products)
			require.Len(t, st.Channels, 6)
			require.Len(t, checks.Checks, 4)
			require.Positive(t, sales.Files[0].Rows)
		}
		require.Equal(t, whole, said, "round %d", round)
		p.stop()
	}
}

var hostile = []any{nil, true, 0, -1, 1.5, 1e300, "", " ", "x", "..", "../../etc/passwd", "a/b", "\x00", "\n", "=1+1",
	"<script>alert(1)</script>", "' OR 1=1 --", "🏺", "طين", strings.Repeat("x", 5000),
	[]any{}, []any{nil}, map[string]any{}, map[string]any{"all": []any{}}, "2026-02-30T10:00", "9999-12-31T23:59", "-5",
	"123456789012345678901234567890", "BAT-30", "web", "GLAZE-WEEK", "C-01", "group:trade", "customer:none", "percentOff",
	"on"}

// attacker makes requests of all kinds that an API's description knows.
type attacker struct {
	*rand.Rand
	schemas map[string]any
}

func (a *attacker) any() any { return hostile[a.IntN(len(hostile))] }

// value makes something for a schema, or something else.
func (a *attacker) value(schema any, depth int) any {
	s, _ := schema.(map[string]any)
	if ref, is := s["$ref"].(string); is {
		s, _ = a.schemas[ref[strings.LastIndex(ref, "/")+1:]].(map[string]any)
	}
	if depth > 5 || s == nil || a.IntN(6) == 0 {
		return a.any()
	}
	if list, is := s["enum"].([]any); is && len(list) > 0 && a.IntN(4) > 0 {
		return list[a.IntN(len(list))]
	}
	switch s["type"] {
	case "object":
		out := map[string]any{}
		properties, _ := s["properties"].(map[string]any)
		for key, of := range properties {
			if a.IntN(4) > 0 {
				out[key] = a.value(of, depth+1)
			}
		}
		if a.IntN(8) == 0 {
			out["strange"] = a.any()
		}
		return out
	case "array":
		list := []any{}
		for range a.IntN(4) {
			list = append(list, a.value(s["items"], depth+1))
		}
		return list
	case "integer", "number":
		return []any{0, 1, -1, 7, 1 << 40, 1.5}[a.IntN(6)]
	case "boolean":
		return a.IntN(2) == 0
	case "string":
		if a.IntN(2) == 0 {
			return []any{"5", "BAT-30", "web", "2026-11-27T10:00", "rules", "KILN-AUTUMN", "list"}[a.IntN(7)]
		}
	}
	return a.any()
}

// No request, whatever it holds, is an error of the program, and no answer names its inside.
func TestHostileRequests(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	var api struct {
		Paths      map[string]map[string]any
		Components struct{ Schemas map[string]any }
	}
	client := p.client(t, "wout")
	_, text := ask(t, client, "GET", p.url+"/api/openapi.json", nil)
	require.NoError(t, json.Unmarshal([]byte(text), &api))
	seed := uint64(time.Now().UnixNano())
	a := &attacker{rand.New(rand.NewPCG(seed, 3)), api.Components.Schemas}
	type operation struct {
		method, path string
		of           map[string]any
	}
	var operations []operation
	for path, methods := range api.Paths {
		for method, of := range methods {
			if slices.Contains([]string{"/api/session", "/api/password"}, path) && method != "get" {
				continue // the attacker stays signed in
			}
			one, _ := of.(map[string]any)
			operations = append(operations, operation{strings.ToUpper(method), path, one})
		}
	}
	require.Greater(t, len(operations), 50)
	seen := map[int]int{}
	for n := range rounds(400, 3000) {
		op := operations[n%len(operations)]
		path, query := op.path, url.Values{}
		parameters, _ := op.of["parameters"].([]any)
		headers := map[string]string{}
		for _, one := range parameters {
			par, _ := one.(map[string]any)
			name, _ := par["name"].(string)
			value := strings.ReplaceAll(fmt.Sprint(a.value(par["schema"], 0)), "\x00", "%00")
			switch par["in"] {
			case "path":
				if value == "" || value == "wout" {
					value = "x"
				}
				path = strings.ReplaceAll(path, "{"+name+"}", url.PathEscape(value))
			case "query":
				if a.IntN(3) > 0 {
					query.Set(name, value)
				}
			case "header":
				headers[name] = strings.Map(func(r rune) rune {
					if r < ' ' || r > '~' {
						return -1
					}
					return r
				}, value)
			}
		}
		var body []byte
		if wanted, is := op.of["requestBody"].(map[string]any); is {
			content, _ := wanted["content"].(map[string]any)
			of, _ := content["application/json"].(map[string]any)
			body, _ = json.Marshal(a.value(of["schema"], 0))
			if a.IntN(12) == 0 && len(body) > 1 {
				body = body[:a.IntN(len(body))]
			}
		}
		req, err := http.NewRequest(op.method, p.url+path+"?"+query.Encode(), bytes.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		for name, value := range headers {
			req.Header.Set(name, value)
		}
		resp, err := client.Do(req)
		require.NoError(t, err, "seed %d: %s %s", seed, op.method, req.URL)
		said, err := io.ReadAll(resp.Body)
		resp.Body.Close()
		require.NoError(t, err)
		seen[resp.StatusCode]++
		describe := func() string {
			return fmt.Sprintf("seed %d: %s %s\n%s\n%s", seed, op.method, req.URL, body, said[:min(len(said), 2000)])
		}
		require.Less(t, resp.StatusCode, 500, describe())
		if resp.StatusCode >= 400 {
			require.Equal(t, "application/problem+json", resp.Header.Get("Content-Type"), describe())
			for _, inside := range []string{"json:", "Go struct", "goroutine", "strconv.", ".go:", "SQLSTATE", "Error 1"} {
				require.NotContains(t, string(said), inside, describe())
			}
		}
		if resp.StatusCode == http.StatusUnauthorized {
			client = p.client(t, "wout")
		}
	}
	t.Log(seen)
	require.NotContains(t, p.stderr(), "panic")
	p.stop()
	left, err := filepath.Glob(filepath.Join(os.TempDir(), "multipart-*"))
	require.NoError(t, err)
	require.Empty(t, left)
	require.NoError(t, syscall.Kill(os.Getpid(), 0))
}
