package server_test

import (
	"bytes"
	"cmp"
	"encoding/json"
	"net/http"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/server"
	"dogbane/internal/store"
)

// The examples of the API's public part are answered as they say, in their order, by the demo as it begins; what the
// description says of each body is true of it.
func TestExamplesForPrograms(t *testing.T) {
	a := started(t, store.Administrator)
	a.do("PUT", "/api/links/web", object{"kind": "feed"}, 204, nil)
	a.publishes()
	key := a.key("web")
	resp, text := a.fetches("/openapi.json")
	require.Equal(t, http.StatusOK, resp.StatusCode, "nobody has to be signed in")
	var doc struct {
		Paths      map[string]map[string]json.RawMessage
		Components struct{ Schemas map[string]json.RawMessage }
	}
	require.NoError(t, json.Unmarshal([]byte(text), &doc))
	described, err := server.ProgramsOpenAPI()
	require.NoError(t, err)
	require.JSONEq(t, string(described), text)
	require.NotContains(t, text, "/api/", "nothing for people")
	for _, part := range strings.Split(text, `"#/components/schemas/`)[1:] {
		name, _, _ := strings.Cut(part, `"`)
		require.Contains(t, doc.Components.Schemas, name)
	}

	file, err := os.ReadFile("programs.json")
	require.NoError(t, err)
	var list []struct {
		Operation string
		Examples  []struct {
			Name, Path string
			Body       json.RawMessage
			Status     int
			Type       string
			Answer     json.RawMessage
		}
	}
	require.NoError(t, json.Unmarshal(file, &list))
	tried := map[string]bool{}
	for _, o := range list {
		method, path, _ := strings.Cut(o.Operation, " ")
		require.Contains(t, doc.Paths[path], strings.ToLower(method))
		require.NotEmpty(t, o.Examples, path)
		for _, e := range o.Examples {
			tried[o.Operation] = true
			req, err := http.NewRequestWithContext(t.Context(), method, a.url+e.Path, bytes.NewReader(e.Body))
			require.NoError(t, err)
			req.Header.Set(key[0], key[1])
			req.Header.Set("Content-Type", "application/json")
			resp, err := http.DefaultClient.Do(req)
			require.NoError(t, err)
			var said bytes.Buffer
			_, err = said.ReadFrom(resp.Body)
			require.NoError(t, err)
			require.NoError(t, resp.Body.Close())
			require.Equal(t, e.Status, resp.StatusCode, "%s: %s", e.Name, said.String())
			kind := cmp.Or(e.Type, "application/json")
			if e.Status >= 400 {
				kind = "application/problem+json"
			}
			if len(e.Answer) > 0 {
				require.Contains(t, resp.Header.Get("Content-Type"), kind, e.Name)
				require.Contains(t, string(doc.Paths[path][strings.ToLower(method)]), `"`+kind+`"`)
			}
			answer := strings.ReplaceAll(said.String(), a.url, "http://127.0.0.1:4180")
			var begins string
			switch {
			case len(e.Answer) == 0:
				require.Empty(t, answer, e.Name)
			case json.Unmarshal(e.Answer, &begins) == nil:
				require.Equal(t, begins, answer, e.Name)
			default:
				require.JSONEq(t, string(e.Answer), answer, e.Name)
			}
		}
	}
	for path, of := range doc.Paths {
		for method := range of {
			require.True(t, tried[strings.ToUpper(method)+" "+path], "%s %s has no example", method, path)
		}
	}
}
