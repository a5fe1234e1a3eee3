package server_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/store"
)

// as is another browser, with somebody else signed in who is made for it.
func (a *api) as(name string, role store.Role) *api {
	a.t.Helper()
	require.NoError(a.t, a.store.AddPerson(a.t.Context(), store.Person{Name: name, FullName: name, Role: role,
		Active: true, Password: store.HashPassword("a long password"), Created: present}))
	other := a.browser()
	other.do("POST", "/api/session", map[string]string{"name": name, "password": "a long password"}, 200, nil)
	return other
}

// browser is one from which nobody has signed in.
func (a *api) browser() *api {
	a.t.Helper()
	jar, err := cookiejar.New(nil)
	require.NoError(a.t, err)
	return &api{a.t, a.url, &http.Client{Jar: jar}, a.store}
}

func (a *api) status(method, path string, body any, headers ...string) (int, string) {
	a.t.Helper()
	data, err := json.Marshal(body)
	require.NoError(a.t, err)
	return a.raw(method, path, data, headers...)
}

func (a *api) raw(method, path string, data []byte, headers ...string) (int, string) {
	a.t.Helper()
	req, err := http.NewRequestWithContext(a.t.Context(), method, a.url+path, bytes.NewReader(data))
	require.NoError(a.t, err)
	req.Header.Set("Content-Type", "application/json")
	for i := 0; i+1 < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	resp, err := a.client.Do(req)
	require.NoError(a.t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(a.t, err)
	return resp.StatusCode, string(text)
}

// Many guesses at once are no more than many in a row, however the name is typed; the right password from a browser
// from which somebody has signed in before gets in all the same, and one's own password is no easier to guess.
func TestGuessingPasswords(t *testing.T) {
	a := started(t, store.Manager)
	stranger := a.browser()
	statuses := map[int]int{}
	var mu sync.Mutex
	var all sync.WaitGroup
	for i := range 80 {
		all.Go(func() {
			name := []string{"me", " me", "ME  ", "Me\t"}[i%4]
			status, _ := stranger.status("POST", "/api/session", map[string]string{"name": name,
				"password": fmt.Sprint("guess ", i)})
			mu.Lock()
			defer mu.Unlock()
			statuses[status]++
		})
	}
	all.Wait()
	require.Equal(t, map[int]int{401: 5, 429: 75}, statuses)
	status, said := stranger.status("POST", "/api/session", map[string]string{"name": "me  ",
		"password": "a long password"})
	require.Equal(t, 429, status, "nor does the right one get in from an unknown browser: %s", said)
	a.do("DELETE", "/api/session", nil, 204, nil)
	a.do("POST", "/api/session", map[string]string{"name": " Me ", "password": "a long password"}, 200, nil)

	wrong := map[int]int{}
	for i := range 20 {
		status, _ := a.status("POST", "/api/password", map[string]string{"old": fmt.Sprint("guess ", i),
			"new": "another password"})
		wrong[status]++
	}
	require.Equal(t, 5, wrong[422])
	require.Equal(t, 15, wrong[429])
}

// Two administrators who demote each other at once do not leave nobody.
func TestTheLastAdministratorStays(t *testing.T) {
	a := started(t, store.Administrator)
	b := a.as("other", store.Administrator)
	for round := range 12 {
		var both sync.WaitGroup
		statuses := make([]int, 2)
		both.Go(func() {
			statuses[0], _ = a.status("PUT", "/api/people/other", map[string]any{"fullName": "x", "role": "reader",
				"active": true})
		})
		both.Go(func() {
			statuses[1], _ = b.status("PUT", "/api/people/me", map[string]any{"fullName": "x", "role": "reader", "active": true})
		})
		both.Wait()
		people, err := a.store.People(t.Context())
		require.NoError(t, err)
		left := 0
		for _, p := range people {
			if p.Role == store.Administrator && p.Active {
				left++
			}
		}
		require.Positive(t, left, "round %d: %v", round, statuses)
		for _, name := range []string{"me", "other"} {
			require.NoError(t, a.store.ChangePerson(t.Context(), name,
				store.PersonChange{FullName: name, Role: store.Administrator, Active: true}))
		}
	}
}

// Somebody who changes their password at the moment in which they are deactivated and demoted stays both.
func TestADeactivatedPersonStaysDeactivated(t *testing.T) {
	a := started(t, store.Administrator)
	for round := range 12 {
		name := fmt.Sprintf("p%d", round)
		p := a.as(name, store.Approver)
		var both sync.WaitGroup
		both.Go(func() {
			p.status("POST", "/api/password", map[string]string{"old": "a long password", "new": "another password"})
		})
		both.Go(func() {
			a.do("PUT", "/api/people/"+name, map[string]any{"fullName": "x", "role": "reader", "active": false}, 204, nil)
		})
		both.Wait()
		people, err := a.store.People(t.Context())
		require.NoError(t, err)
		for _, one := range people {
			if one.Name == name {
				require.False(t, one.Active, "round %d", round)
				require.Equal(t, store.Reader, one.Role)
			}
		}
		status, _ := p.status("GET", "/api/state", nil)
		require.Equal(t, 401, status)
	}
}

// Names to sign in with are one word in small letters; however they are typed they are the same person's.
func TestNamesOfPeople(t *testing.T) {
	a := started(t, store.Administrator)
	add := func(name string) (int, string) {
		return a.status("POST", "/api/people", map[string]any{"name": name, "fullName": "Someone", "role": "reader",
			"active": true, "password": "a long password"})
	}
	for _, wrong := range []string{"..", ".", "", " ", "a/b", "a b", "ünal", "a\nb", "-a", strings.Repeat("x", 61), "<b>",
		"me", "ME", " Me "} {
		status, said := add(wrong)
		require.Equal(t, 422, status, "%q %s", wrong, said)
	}
	for _, right := range []string{"maren", "Maren.O", "m_2-x"} {
		status, said := add(right)
		require.Equal(t, 204, status, "%q %s", right, said)
	}
	b := a.browser()
	b.do("POST", "/api/session", map[string]string{"name": "MAREN.o", "password": "a long password"}, 200, nil)
}

// Every answer says what a browser may do with it; cookies are for this program on this port alone, and for TLS where
// it is served over that.
func TestHeadersAndCookies(t *testing.T) {
	a := started(t, store.Reader)
	at, err := url.Parse(a.url)
	require.NoError(t, err)
	for path, status := range map[string]int{"/": 200, "/board": 200, "/api/state": 200, "/api/nothing": 404,
		"/assets/none.js": 404, "/health": 404, "/healthz/x": 404, "/metrics": 404, "/metrics/x": 404} {
		resp, err := a.client.Get(a.url + path)
		require.NoError(t, err)
		resp.Body.Close()
		require.Equal(t, status, resp.StatusCode, path)
		require.Equal(t, "nosniff", resp.Header.Get("X-Content-Type-Options"), path)
		require.Contains(t, resp.Header.Get("Content-Security-Policy"), "default-src 'self'", path)
		if strings.HasPrefix(path, "/api") {
			require.Equal(t, "no-store", resp.Header.Get("Cache-Control"), path)
		}
	}
	for _, forwarded := range []string{"", "https"} {
		data := []byte(`{"name":"me","password":"a long password"}`)
		req, err := http.NewRequestWithContext(t.Context(), "POST", a.url+"/api/session", bytes.NewReader(data))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("X-Forwarded-Proto", forwarded)
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		resp.Body.Close()
		cookies := resp.Cookies()
		require.Len(t, cookies, 2, "the session's, and the browser's own")
		for _, c := range cookies {
			require.True(t, strings.HasPrefix(c.Name, "dogbane-"+at.Port()), c.Name)
			require.True(t, c.HttpOnly)
			require.Equal(t, http.SameSiteStrictMode, c.SameSite)
			require.Equal(t, forwarded == "https", c.Secure)
		}
	}
}

// Sign-ins, refusals, and what became of people and pinned prices are told, to administrators.
func TestTheJournal(t *testing.T) {
	a := started(t, store.Administrator)
	a.browser().status("POST", "/api/session", map[string]string{"name": "Tessel <b>", "password": "no"})
	a.do("POST", "/api/people", map[string]any{"name": "new", "fullName": "N", "role": "reader", "active": true,
		"password": "a long password"}, 204, nil)
	a.do("PUT", "/api/people/new", map[string]any{"fullName": "N", "role": "manager", "active": false}, 204, nil)
	a.do("POST", "/api/checks", map[string]any{"name": "ten & more",
		"doc": json.RawMessage(`{"price":{"sku":"BAT-30","at":"2026-12-10T10:00"},"is":{"unit":"1.00"}}`)}, 204, nil)
	var list struct{ Checks []struct{ ID int64 } }
	a.do("GET", "/api/checks", nil, 200, &list)
	a.do("DELETE", fmt.Sprint("/api/checks/", list.Checks[0].ID), nil, 204, nil)
	a.do("DELETE", "/api/session", nil, 204, nil)
	a.do("POST", "/api/session", map[string]string{"name": "me", "password": "a long password"}, 200, nil)
	var journal struct {
		Events []struct{ Who, What, Detail string }
	}
	a.do("GET", "/api/journal", nil, 200, &journal)
	var told []string
	for _, e := range journal.Events {
		told = append(told, e.Who+" "+e.What)
	}
	require.Equal(t, []string{"me signed-in", "me signed-out", "me check-dropped", "me check-pinned", "me person-changed",
		"me person-added", "tessel <b> refused", "me signed-in"}, told)
	require.Equal(t, "ten & more", journal.Events[2].Detail)
	reader := a.as("reader", store.Reader)
	status, _ := reader.status("GET", "/api/journal", nil)
	require.Equal(t, 403, status)
}

// Whatever a request holds, the answer names no inside of the program.
func TestMessagesNameNoInside(t *testing.T) {
	a := started(t, store.Administrator)
	for _, data := range []string{`{"name":5,"password":[]}`, `{"name":`, `[]`, `"x"`, `{"name":{"a":1}}`, `nonsense`, "",
		`{"codes":"R1","do":7}`, `{"changes":[{"kind":"rules","code":5,"doc":"x"}]}`, `{"version":1e+300}`} {
		for _, path := range []string{"/api/people", "/api/session", "/api/rules-batch", "/api/edit", "/api/rules",
			"/api/bulk", "/api/checks", "/api/impact", "/api/sku-list", "/api/channels/web/publications"} {
			status, said := a.raw("POST", path, []byte(data))
			require.Less(t, status, 500, "%s %s: %s", path, data, said)
			for _, inside := range []string{"json:", "Go struct", "server.", "unmarshal", "strconv", "goroutine", ".go:"} {
				require.NotContains(t, said, inside, "%s %s", path, data)
			}
		}
	}
}

// A name that sounds like the inside of the program is still said.
func TestMessagesKeepNames(t *testing.T) {
	a := started(t, store.Manager)
	_, said := a.raw("PUT", "/api/customers/C-01/agreed", []byte(`{"sku":"Go kart json: server.x","price":"1"}`))
	require.Contains(t, said, "Go kart json: server.x")
}

// endless is a body of so many bytes, of which it counts those that were asked for.
type endless struct {
	left int64
	read atomic.Int64 // the transport goes on reading for a moment after it gave an answer
	head io.Reader
}

func (e *endless) Read(p []byte) (int, error) {
	if n, _ := e.head.Read(p); n > 0 {
		return n, nil
	}
	if e.left <= 0 {
		return 0, io.EOF
	}
	n := int64(min(len(p), 1<<16))
	n = min(n, e.left)
	for i := range p[:n] {
		p[i] = 'x'
	}
	e.left -= n
	e.read.Add(n)
	return int(n), nil
}

// A file that is too large is refused while it comes in, one of a reader before that, and none stays in the temporary
// folder.
func TestUploadsAreBounded(t *testing.T) {
	temp := t.TempDir()
	t.Setenv("TMPDIR", temp)
	a := started(t, store.Manager)
	reader := a.as("reader", store.Reader)
	send := func(who *api, size int64, known bool) (int, int64) {
		const head = "--b\r\nContent-Disposition: form-data; name=\"file\"; filename=\"goods.csv\"\r\nContent-Type: text/csv\r\n\r\nsku,name\n"
		body := &endless{left: size, head: strings.NewReader(head)}
		req, err := http.NewRequestWithContext(t.Context(), "POST", a.url+"/api/imports?kind=products", body)
		require.NoError(t, err)
		if known {
			req.ContentLength = size + int64(len(head))
		}
		req.Header.Set("Content-Type", "multipart/form-data; boundary=b")
		resp, err := who.client.Do(req)
		if err != nil { // the program hung up in the middle of it
			return 0, body.read.Load()
		}
		defer resp.Body.Close()
		return resp.StatusCode, body.read.Load()
	}
	for _, known := range []bool{true, false} {
		status, read := send(a, 300<<20, known)
		require.Contains(t, []int{413, 0}, status)
		require.Less(t, read, int64(100<<20))
		status, read = send(reader, 300<<20, known)
		require.Contains(t, []int{403, 0}, status)
		require.Less(t, read, int64(20<<20))
	}
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	part, err := w.CreateFormFile("file", strings.Repeat("long ", 100)+".csv")
	require.NoError(t, err)
	_, err = part.Write([]byte("sku,name\n" + strings.Repeat("A,"+strings.Repeat("b", 150)+"\n", 20_000)))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	req, err := http.NewRequestWithContext(t.Context(), "POST", a.url+"/api/imports?kind=products", &form)
	require.NoError(t, err)
	req.Header.Set("Content-Type", w.FormDataContentType())
	a.send(req, 200, nil)
	left, err := os.ReadDir(temp)
	require.NoError(t, err)
	for _, f := range left {
		require.NotContains(t, f.Name(), "multipart", "an uploaded file stays behind")
	}
}

// Nobody's upload pushes another's waiting file out, and nobody sees another's.
func TestAShelfForEach(t *testing.T) {
	a := started(t, store.Manager)
	b := a.as("other", store.Manager)
	mine := a.upload("products", "mine.csv", []byte("sku,list\nNEW-1,1.00\n"))
	for i := range 12 {
		b.upload("products", fmt.Sprint(i, ".csv"), []byte("sku,list\nNEW-2,1.00\n"))
	}
	a.do("POST", "/api/imports/"+mine.Token+"/preview", map[string]any{"mapping": mine.Mapping}, 200, nil)
	b.do("POST", "/api/imports/"+mine.Token+"/preview", map[string]any{"mapping": mine.Mapping}, 410, nil)
	reader := a.as("reader", store.Reader)
	for _, path := range []string{"/api/imports/paste", "/api/imports/" + mine.Token + "/preview",
		"/api/imports/" + mine.Token + "/effect/preview"} {
		status, _ := reader.status("POST", path, map[string]any{"text": "A\t1.00", "mapping": mine.Mapping})
		require.Equal(t, 403, status, path)
	}
}

// A list of SKUs may be as long as the field says, in whatever letters.
func TestALongListOfSKUs(t *testing.T) {
	a := started(t, store.Reader)
	a.do("POST", "/api/sku-list", map[string]any{"text": strings.Repeat("é ", 999_999)}, 200, nil)
	a.do("POST", "/api/sku-list", map[string]any{"text": strings.Repeat("é ", 1_000_001)}, 422, nil)
}

// Texts of any length are kept or refused with their place; none is an error of the program.
func TestTextsHaveBounds(t *testing.T) {
	a := started(t, store.Manager)
	rule := func(code, name string) map[string]any {
		return map[string]any{"code": code, "name": name, "layer": "sale", "rank": 1,
			"where": map[string]any{"sku": "BAT-30"}, "effect": map[string]any{"percentOff": "1"}, "status": "draft"}
	}
	var said problem
	a.do("POST", "/api/rules", rule("LONG", strings.Repeat("n", 490)), 422, &said)
	require.Equal(t, "name", said.Errors[0].Location)
	a.do("POST", "/api/rules", rule(strings.Repeat("c", 191), "x"), 422, &said)
	require.Equal(t, "code", said.Errors[0].Location)
	for _, code := range []string{"a/b", "..", "A\nB", "A\x00B", "A ", " A", "ä", ""} {
		a.do("POST", "/api/rules", rule(code, "x"), 422, &said)
		require.Equal(t, "code", said.Errors[0].Location, code)
	}
	a.do("POST", "/api/rules", rule("FINE", strings.Repeat("🏺", 200)), 200, nil)
	var saved struct{ Entry int64 }
	a.do("POST", "/api/rules/FINE/switch", map[string]string{"status": "on"}, 200, &saved)
	for range 30 { // “Undo: Undo: …” grows
		a.do("POST", fmt.Sprintf("/api/log/%d/undo", saved.Entry), nil, 200, &saved)
	}
	a.do("PATCH", "/api/products/BAT-30", map[string]string{"list": "123456789012345678"}, 422, &said)
	require.Equal(t, "list", said.Errors[0].Location)
	a.do("POST", "/api/bulk?channel=web", map[string]any{"field": "list", "how": "percentOn", "value": "99999999999999"},
		422, nil)
	for _, skus := range []string{"4/4 & more", "..", ".", "new", "=x", "%2F", "a b", "🏺", "<i>"} {
		doc := map[string]any{"changes": []any{map[string]any{"kind": "products", "code": skus,
			"doc": map[string]any{"sku": skus, "list": "5.00"}}}}
		a.do("POST", "/api/edit", doc, 200, nil)
		part := skus
		if skus == "." || skus == ".." || strings.HasPrefix(skus, "=") {
			part = "=" + skus
		}
		a.do("PATCH", "/api/products/"+url.PathEscape(part), map[string]string{"list": "6.00", "was": "5.00"}, 200, nil)
		var page struct{ Doc struct{ SKU, List string } }
		a.do("GET", "/api/products/"+url.PathEscape(part), nil, 200, &page)
		require.Equal(t, skus, page.Doc.SKU)
		require.Equal(t, "6.00", page.Doc.List)
	}
}

// A price below cost is sent with a reason, not with blanks.
func TestAReasonIsNoBlank(t *testing.T) {
	a := started(t, store.Approver)
	var st struct{ Version int64 }
	a.do("GET", "/api/state", nil, 200, &st)
	for _, reason := range []string{"", " \t\n", strings.Repeat("r", 501)} {
		var said problem
		a.do("POST", "/api/channels/web/publications", map[string]any{"version": st.Version,
			"overrides": map[string]string{"SET-OXIDE": reason}}, 422, &said)
		require.Equal(t, "overrides.SET-OXIDE", said.Errors[0].Location)
	}
}

// Sales before 1970 or after tomorrow are mistakes.
func TestSalesOfNoTime(t *testing.T) {
	a := started(t, store.Manager)
	p := a.upload("sales", "sales.csv",
		[]byte("date,sku,qty\n0001-01-01,BAT-30,1\n9999-12-31,BAT-30,1\n2026-11-20,BAT-30,1\n"))
	require.Equal(t, 2, p.BadCount)
	require.Contains(t, p.Bad[0].Problem, "can have been sold")
}

// An import that would break a pinned price is refused until somebody has seen which, and an undo is too.
func TestImportsAndUndoAskThePinnedPrices(t *testing.T) {
	a := started(t, store.Manager)
	a.do("POST", "/api/checks", map[string]any{"name": "the bat",
		"doc": json.RawMessage(`{"price":{"sku":"BAT-30","at":"2026-12-10T10:00"},"is":{"list":"14.50"}}`)}, 204, nil)
	p := a.upload("products", "goods.csv", []byte("sku,list\nBAT-30,99.00\n"))
	failed := a.keep(p)
	require.Equal(t, "failed", failed.State)
	require.Equal(t, "the bat", failed.Checks[0].Name)
	job := a.keep(p, "Checks-Seen", "true")
	require.Equal(t, "done", job.State)
	var undo struct{ Entry int64 }
	a.do("POST", fmt.Sprintf("/api/log/%d/undo", job.Saved.Entry), nil, 200, &undo)
	var refused struct{ Checks []struct{ Name string } }
	a.do("POST", fmt.Sprintf("/api/log/%d/undo", undo.Entry), nil, 409, &refused)
	require.Equal(t, "the bat", refused.Checks[0].Name)
	a.do("POST", fmt.Sprintf("/api/log/%d/undo", undo.Entry), nil, 200, nil, "Checks-Seen", "true")
}

// The demo ends with its book: its present, its accounts and the password that it shows.
func TestTheDemoEndsWithItsBook(t *testing.T) {
	a := started(t, store.Administrator)
	require.NoError(t, a.store.SetFact(t.Context(), "demo-now", "2026-11-26T09:00"))
	for _, name := range []string{"tessel", "wout"} {
		require.NoError(t, a.store.AddPerson(t.Context(), store.Person{Name: name, FullName: name, Role: store.Administrator,
			Active: true, Password: store.HashPassword("sprigs-and-slip"), Created: present}))
	}
	wout := a.browser()
	wout.do("POST", "/api/session", map[string]string{"name": "wout", "password": "sprigs-and-slip"}, 200, nil)
	tessel := a.browser()
	tessel.do("POST", "/api/session", map[string]string{"name": "tessel", "password": "sprigs-and-slip"}, 200, nil)
	var session struct {
		Name       string
		MustChange bool
		Demo       []struct{ Name string }
	}
	a.browser().do("GET", "/api/session", nil, 200, &session)
	require.NotEmpty(t, session.Demo)
	put := func(doc string) {
		var st struct{ Version int64 }
		wout.do("GET", "/api/state", nil, 200, &st)
		status, said := wout.raw("PUT", fmt.Sprint("/api/book?version=", st.Version), []byte(doc), "Checks-Seen", "true")
		require.Equal(t, 200, status, said)
	}
	_, whole := wout.raw("GET", "/api/book", nil)
	put(strings.Replace(whole, "Wheel bat, 30 cm", "Wheel bat", 1))
	a.browser().do("GET", "/api/session", nil, 200, &session)
	require.NotEmpty(t, session.Demo, "the demo's whole with a change is still the demo's")

	put(`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Berlin"},"products":[{"sku":"MINE & mine","list":"1.00"}]}`)
	a.browser().do("GET", "/api/session", nil, 200, &session)
	require.Empty(t, session.Demo)
	for _, name := range []string{"tessel", "wout"} {
		status, _ := a.browser().status("POST", "/api/session", map[string]string{"name": name,
			"password": "sprigs-and-slip"})
		require.Equal(t, 401, status, name)
	}
	status, _ := tessel.status("GET", "/api/state", nil)
	require.Equal(t, 401, status)
	wout.do("GET", "/api/session", nil, 200, &session)
	require.True(t, session.MustChange)
	wout.do("POST", "/api/password", map[string]string{"old": "", "new": "my own password"}, 204, nil)
	a.browser().do("POST", "/api/session", map[string]string{"name": "wout", "password": "my own password"}, 200, &session)
	fact, err := a.store.Fact(context.WithoutCancel(t.Context()), "demo-now")
	require.NoError(t, err)
	require.Empty(t, fact)
}
