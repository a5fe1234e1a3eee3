package e2e

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/publish/publishtest"
	"dogbane/internal/store/localdb"
)

// admin is an HTTP client signed in as the administrator that a first start without the demo makes.
func (p *program) admin(t testing.TB) *http.Client {
	t.Helper()
	return p.signedIn(t, "admin", p.password)
}

// tell asks the API for something, demands a status and reads the answer.
func tell[T any](t testing.TB, c *http.Client, method, url string, body any, status int) (out T) {
	t.Helper()
	got, text := ask(t, c, method, url, body)
	require.Equal(t, status, got, "%s %s: %s", method, url, text)
	if text != "" {
		require.NoError(t, json.Unmarshal([]byte(text), &out), text)
	}
	return out
}

// sent is a publication as the API tells it.
type sent struct {
	ID                                int64
	State, Problem, Next              string
	Lines, Taken, Refused, Unanswered int
	Answers                           []struct{ SKU, Answer string }
}

func (p *program) ends(t testing.TB, c *http.Client, id int64) (s sent) {
	t.Helper()
	address := fmt.Sprintf("%s/api/publications/%d", p.url, id)
	require.Eventually(t, func() bool {
		s = tell[sent](t, c, "GET", address+"?limit=10000", nil, 200)
		return s.State != "queued" && s.State != "sending"
	}, 10*time.Minute, 20*time.Millisecond, "publication %d", id) // a channel that never answers costs 20 s each time
	return s
}

// tells publishes to a channel whatever the saved book says otherwise, but for prices that are blocked.
func (p *program) tells(t testing.TB, channel string) {
	t.Helper()
	c := p.client(t, "wout")
	d := tell[struct {
		Version int64
		Rows    []struct {
			SKU     string
			Blocked []any
		}
		Pieces []struct {
			Piece   string
			Blocked []any
		}
	}](t, c, "GET", p.url+"/api/channels/"+channel+"/differences?limit=10000", nil, 200)
	var out []string
	overrides := map[string]string{}
	for _, r := range d.Rows {
		if len(r.Blocked) > 0 {
			out = append(out, r.SKU)
		}
	}
	for _, piece := range d.Pieces {
		if len(piece.Blocked) > 0 {
			overrides[piece.Piece] = "it is tried"
		}
	}
	s := tell[sent](t, c, "POST", p.url+"/api/channels/"+channel+"/publications", map[string]any{"version": d.Version,
		"leaveOut": out, "overrides": overrides}, 201)
	tell[sent](t, c, "POST", fmt.Sprintf("%s/api/publications/%d/send", p.url, s.ID), map[string]any{}, 202)
	require.Equal(t, "done", p.ends(t, c, s.ID).State)
}

// A publication is killed at random points while a channel misbehaves. Every time it goes on by itself where it stood:
// the same keys with the same bytes, no part again whose answer is kept, nothing older after something newer; and what
// the program says that the channel shows is what it took.
func TestKilledWhileSending(t *testing.T) {
	t.Parallel()
	const goods = 3000
	seed := uint64(time.Now().UnixNano())
	rng := rand.New(rand.NewPCG(seed, 3))
	data := t.TempDir()
	out := publishtest.Open(t)
	p := start(t, data, "--empty")
	password := p.password
	again, answered, kills, unanswered := 0, 0, 0, 0
	for round := range rounds(3, 50) {
		book := fmt.Sprintf(`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"channels":[{"code":"web"}],
			"rules":[{"code":"R","layer":"sale","rank":1,"where":{"all":[]},"effect":{"percentOff":"%d"}}],"products":[`, round%40)
		for i := range goods {
			book += fmt.Sprintf(`{"sku":"S %04d & <%d>","list":"100.00"},`, i, i)
		}
		file := filepath.Join(t.TempDir(), "book.json")
		require.NoError(t, os.WriteFile(file, []byte(strings.TrimSuffix(book, ",")+"]}"), 0o600))
		text, err := exec.Command(binary, "import", file, "--data", data).CombinedOutput()
		require.NoError(t, err, string(text))
		c := p.admin(t)
		if round == 0 {
			tell[any](t, c, "PUT", p.url+"/api/links/web", map[string]string{"kind": "http", "address": out.Address(),
				"token": "secret"}, 204)
		}
		var version int64
		require.Eventually(t, func() bool {
			d := tell[struct {
				Version int64
				Total   int
			}](t, c, "GET", p.url+"/api/channels/web/differences?limit=1", nil, 200)
			version = d.Version
			return d.Total == goods
		}, time.Minute, 50*time.Millisecond)
		out.Manner(publishtest.BySeed(seed+uint64(round), publishtest.Well, publishtest.Well, publishtest.Cut, publishtest.Never,
			publishtest.Broken, publishtest.Half, publishtest.Faulty))
		s := tell[sent](t, c, "POST", p.url+"/api/channels/web/publications", map[string]any{"version": version}, 201)
		before := out.Asked()
		tell[sent](t, c, "POST", fmt.Sprintf("%s/api/publications/%d/send", p.url, s.ID), map[string]any{}, 202)
		time.Sleep(time.Duration(rng.IntN(700)) * time.Millisecond)
		p.kill(t)
		kills++
		p = start(t, data, "--empty")
		p.password = password
		c = p.admin(t)
		s = p.ends(t, c, s.ID)
		require.Contains(t, []string{"done", "partly"}, s.State, s.Problem)
		again, answered, unanswered = again+out.Asked()-before-3, answered+s.Taken, unanswered+s.Unanswered
		shows, price := out.Prices(), fmt.Sprintf("%d.00", 100-round%40)
		for _, a := range s.Answers {
			if a.Answer == "taken" {
				require.Equal(t, price, shows[a.SKU], "round %d, %s: it was taken", round, a.SKU)
			}
		}
		open := map[string]bool{}
		d := tell[struct{ Rows []struct{ SKU, Kind string } }](t, c, "GET",
			p.url+"/api/channels/web/differences?limit=10000", nil, 200)
		for _, r := range d.Rows {
			open[r.SKU] = true
		}
		require.Len(t, open, s.Unanswered, "round %d: what has no answer is a difference, and nothing else", round)
		shown := tell[struct{ Lines []struct{ SKU, Price string } }](t, c, "GET",
			p.url+"/api/channels/web/shown?limit=10000", nil, 200)
		for _, l := range shown.Lines {
			if !open[l.SKU] {
				require.Equal(t, l.Price, shows[l.SKU], "round %d, %s: it shows what the program says", round, l.SKU)
			}
		}
		out.Check(t)
	}
	t.Logf("seed %d: %d kills, %d lines taken, %d unanswered, %d requests more than parts", seed, kills, answered, unanswered,
		again)
}

// A channel of one's own is connected, tried, told, refused, taken back, and compared, all on screen.
func TestPublishingOnScreen(t *testing.T) {
	t.Parallel()
	out := publishtest.Open(t)
	p := start(t, t.TempDir())
	p.unpin(t)
	pg := p.openAs(t, "wout", "/publish?channel=web&tab=link")
	pg.typeInto(pg.labelled("Address"), "ftp://shop.example")
	pg.click("button", "^Try it$")
	pg.find("form[aria-label^='How the']", "must be an http or https address")
	pg.typeInto(pg.labelled("Address"), out.Address())
	pg.click("button", "Write another")
	pg.typeInto(pg.labelled("Token"), "guess")
	pg.click("button", "^Try it$")
	pg.find("form[aria-label^='How the']", "401")
	pg.typeInto(pg.labelled("Token"), "secret")
	pg.choose("A second person agrees", "always")
	pg.click("button", "^Try it$")
	pg.find("form[aria-label^='How the']", "It works")
	pg.click("button", "^Keep it$")
	pg.find("form[aria-label^='How the']", "one is kept")

	manager := p.openAs(t, "maren", "/publish?channel=web")
	manager.click("[aria-label='Send all prices']")
	manager.click("[aria-label='Send KF-01-30']")
	manager.click("button", "^Send 1 price")
	manager.find("[data-testid=send-result]", "waits for a second person")
	manager.find("[aria-label='Waits for a second person']", "Somebody else|somebody who may approve")
	pg.show(p.url + "/publish?channel=web")
	pg.find("[aria-label='Waits for a second person']", "maren wants to send 1 price")
	pg.typeInto(pg.labelled("A note, or why you refuse it"), "not before “Friday”")
	pg.click("button", "^Refuse$")
	gone := func() bool { return len(pg.texts("[aria-label='Waits for a second person']", "")) == 0 }
	pg.eventually("nothing waits any more", gone)
	pg.show(p.url + "/publish?channel=web&tab=history")
	pg.find("li", "not before “Friday”")
	require.Empty(t, out.Prices())

	manager.show(p.url + "/publish?channel=web")
	manager.click("[aria-label='Send all prices']")
	manager.click("[aria-label='Send KF-01-30']")
	manager.click("button", "^Send 1 price")
	manager.find("[data-testid=send-result]", "waits for a second person")
	pg.show(p.url + "/publish?channel=web")
	pg.click("button", "^Approve and send$")
	pg.eventually("nothing waits any more", gone)
	pg.eventually("it is told", func() bool { return out.Prices()["KF-01-30"] == "31.95" })

	pg.show(p.url + "/publish?channel=web&tab=history")
	pg.click("li button", "all taken")
	pg.find("td", "taken")
	pg.click("button", "^Take it back …$")
	pg.click("button", "^Take it back$")
	pg.find("[aria-label='Waits for a second person']", "wout wants to send 1 price")
	approver := p.client(t, "ilko")
	list := tell[struct{ Publications []sent }](t, approver, "GET", p.url+"/api/publications?channel=web", nil, 200)
	tell[sent](t, approver, "POST", fmt.Sprintf("%s/api/publications/%d/approve", p.url, list.Publications[0].ID),
		map[string]any{}, 202)
	pg.eventually("it is taken back", func() bool { return out.Prices()["KF-01-30"] == "35.80" })
	pg.show(p.url + "/publish?channel=web")
	row := `[data-sku="KF-01-30"]`
	pg.find(row, "held back")
	pg.click(row+" button", "^Release$")
	pg.eventually("it is let go", func() bool { return !strings.Contains(pg.text(row), "held back") })

	pg.show(p.url + "/publish?channel=web&tab=shows")
	out.Change("KF-01-30", "1.00")
	pg.click("button", "^Read what it shows now$")
	pg.find(`[data-drift="KF-01-30"]`, "1.00")
	pg.click("button", "sent again$")
	pg.find("h2,h3,p,div", "Nothing there was changed by itself|Nobody has looked yet|shows what it took")
	pg.show(p.url + "/publish?channel=web&tab=due")
	pg.find("[data-due]", "Fri|Mon|Sun|Sat")
	out.Check(t)
}

// On the real clock, a moment that comes is published by itself within a minute, by a program that was just started.
func TestAMomentComes(t *testing.T) {
	t.Parallel()
	out := publishtest.Open(t)
	data := t.TempDir()
	p := start(t, data, "--empty")
	password := p.password
	begins := time.Now().UTC().Add(12 * time.Second).Truncate(time.Second)
	book := fmt.Sprintf(`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"channels":[{"code":"web"}],
		"products":[{"sku":"A","name":"=1+1 \"x\"","list":"10.00"},{"sku":"B","list":"20.00","later":[{"from":"%[1]s","list":"21.00"}]}],
		"rules":[{"code":"R","layer":"sale","rank":1,"where":{"sku":["A"]},"window":{"from":"%[1]s"},"effect":{"percentOff":"10"}}]}`,
		begins.Format("2006-01-02T15:04:05"))
	file := filepath.Join(t.TempDir(), "book.json")
	require.NoError(t, os.WriteFile(file, []byte(book), 0o600))
	text, err := exec.Command(binary, "import", file, "--data", data).CombinedOutput()
	require.NoError(t, err, string(text))
	c := p.admin(t)
	tell[any](t, c, "PUT", p.url+"/api/links/web", map[string]string{"kind": "http", "address": out.Address(),
		"token": "secret", "sends": "on-the-minute"}, 204)
	d := tell[struct{ Version int64 }](t, c, "GET", p.url+"/api/channels/web/differences", nil, 200)
	s := tell[sent](t, c, "POST", p.url+"/api/channels/web/publications", map[string]any{"version": d.Version}, 201)
	tell[sent](t, c, "POST", fmt.Sprintf("%s/api/publications/%d/send", p.url, s.ID), map[string]any{}, 202)
	require.Equal(t, "done", p.ends(t, c, s.ID).State)
	require.Equal(t, "10.00", out.Prices()["A"])
	due := tell[struct{ Due []struct{ At string } }](t, c, "GET", p.url+"/api/channels/web/due", nil, 200)
	require.Len(t, due.Due, 1)
	p.kill(t)
	p = start(t, data, "--empty")
	p.password = password
	require.Eventually(t, func() bool { return out.Prices()["A"] == "9.00" }, time.Until(begins)+time.Minute,
		5*time.Millisecond)
	require.Equal(t, "21.00", out.Prices()["B"], "a list price that rises goes out in the same publication")
	late := time.Since(begins)
	require.Positive(t, late, "not before it")
	c = p.admin(t)
	key := tell[struct{ Key string }](t, c, "POST", p.url+"/api/channels/web/keys", map[string]any{"name": "its page",
		"rights": []string{"feed"}}, 201)
	stranger := &http.Client{}
	status, said := ask(t, stranger, "GET", p.url+"/feeds/web.csv?key="+key.Key, nil)
	require.Equal(t, 200, status)
	var shown []string
	require.Eventually(t, func() bool {
		_, said = ask(t, stranger, "GET", p.url+"/feeds/web.csv?key="+key.Key, nil)
		records, err := csv.NewReader(strings.NewReader(said)).ReadAll()
		require.NoError(t, err)
		shown = records[1][:4]
		return shown[2] == "9.00"
	}, 20*time.Second, 50*time.Millisecond)
	require.Equal(t, []string{"A", "'=1+1 \"x\"", "9.00", "10.00"}, shown, "a formula is disarmed")
	_, said = ask(t, stranger, "GET", p.url+"/feeds/web.jsonl?key="+key.Key, nil)
	require.Contains(t, said, `"name":"=1+1 \"x\"","price":"9.00"`)
	require.Len(t, strings.Split(strings.TrimSpace(said), "\n"), 2)
	again, err := http.NewRequestWithContext(t.Context(), "GET", p.url+"/feeds/web.csv", nil)
	require.NoError(t, err)
	again.Header.Set("Authorization", "Bearer "+key.Key)
	first, err := stranger.Do(again)
	require.NoError(t, err)
	first.Body.Close()
	again.Header.Set("If-None-Match", first.Header.Get("ETag"))
	second, err := stranger.Do(again)
	require.NoError(t, err)
	second.Body.Close()
	require.Equal(t, http.StatusNotModified, second.StatusCode)
	for _, wrong := range []string{"/feeds/web.csv", "/feeds/web.csv?key=guess", "/feeds/other.csv?key=" + key.Key} {
		status, _ = ask(t, stranger, "GET", p.url+wrong, nil)
		require.Equal(t, http.StatusUnauthorized, status, wrong)
	}
	t.Logf("%s after its moment", late.Round(time.Millisecond))
	out.Check(t)
}

// Two programs share one database; each in turn is killed within moments of a boundary. Each boundary is published once,
// by whichever is alive, and what the channel shows in the end is the book's.
func TestOneOfTwoIsKilledAtABoundary(t *testing.T) {
	t.Parallel()
	db, err := localdb.Start(t.Context(), filepath.Join(t.TempDir(), "mariadb"), localdb.Options{})
	require.NoError(t, err)
	t.Cleanup(db.Stop)
	env := []string{"DOGBANE_DSN=" + db.DSN("dogbane")}
	const boundaries = 8
	first := time.Now().UTC().Add(20 * time.Second).Truncate(time.Second)
	products, rules := []string{}, []string{}
	for i := range boundaries {
		products = append(products, fmt.Sprintf(`{"sku":"P%d & <b>","list":"10.00"}`, i))
		rules = append(rules, fmt.Sprintf(`{"code":"R%d","layer":"sale","rank":%d,"where":{"sku":["P%d & <b>"]},"window":{"from":"%s"},"effect":{"percentOff":"10"}}`,
			i, i+1, i, first.Add(time.Duration(i)*2*time.Second).Format("2006-01-02T15:04:05")))
	}
	file := filepath.Join(t.TempDir(), "book.json")
	require.NoError(t, os.WriteFile(file, []byte(`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"channels":[{"code":"web"}],
		"products":[`+strings.Join(products, ",")+`],"rules":[`+strings.Join(rules, ",")+`]}`), 0o600))
	one := startIn(t, env, t.TempDir(), "--empty")
	importing := exec.Command(binary, "import", file, "--data", t.TempDir())
	importing.Env = append(os.Environ(), env...)
	text, err := importing.CombinedOutput()
	require.NoError(t, err, string(text))
	two := startIn(t, env, t.TempDir(), "--empty")
	out := publishtest.Open(t)
	c := one.admin(t)
	tell[any](t, c, "PUT", one.url+"/api/links/web", map[string]string{"kind": "http", "address": out.Address(),
		"token": "secret", "sends": "on-the-minute"}, 204)
	d := tell[struct{ Version int64 }](t, c, "GET", one.url+"/api/channels/web/differences", nil, 200)
	s := tell[sent](t, c, "POST", one.url+"/api/channels/web/publications", map[string]any{"version": d.Version}, 201)
	tell[sent](t, c, "POST", fmt.Sprintf("%s/api/publications/%d/send", one.url, s.ID), map[string]any{}, 202)
	require.Equal(t, "done", one.ends(t, c, s.ID).State)
	require.True(t, time.Now().Before(first), "the boundaries are still to come")

	late := make([]time.Duration, boundaries)
	var seen sync.WaitGroup
	for i := range boundaries {
		seen.Go(func() {
			at := first.Add(time.Duration(i) * 2 * time.Second)
			for time.Since(at) < time.Minute && out.Prices()[fmt.Sprintf("P%d & <b>", i)] != "9.00" {
				time.Sleep(5 * time.Millisecond)
			}
			late[i] = time.Since(at)
		})
	}
	three := make(chan *program, 1)
	time.Sleep(time.Until(first.Add(2*2*time.Second + time.Duration(rand.IntN(60))*time.Millisecond)))
	password := one.password
	one.kill(t)
	go func() { three <- startIn(t, env, t.TempDir(), "--empty") }()
	time.Sleep(time.Until(first.Add(5*2*time.Second + time.Duration(rand.IntN(60))*time.Millisecond)))
	last := <-three
	two.kill(t)
	seen.Wait()
	for i, l := range late {
		require.Less(t, l, time.Minute, "boundary %d", i)
		require.Positive(t, l)
	}
	last.password = password
	c = last.admin(t)
	list := tell[struct {
		Publications []struct {
			sent
			Kind   string
			Passed []string
		}
	}](t, c, "GET", last.url+"/api/publications?channel=web", nil, 200)
	dealt := 0
	for _, p := range list.Publications {
		if p.Kind == "due" {
			dealt += 1 + len(p.Passed)
			last.ends(t, c, p.ID)
		}
	}
	require.Equal(t, boundaries, dealt, "each once")
	out.Check(t)
	t.Logf("lateness of each boundary: %v", late)
}
