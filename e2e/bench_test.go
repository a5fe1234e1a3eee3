package e2e

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"mime/multipart"
	"os"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/money"
)

// timed asks the addresses one after the other as the browser's own fetch does and gives the milliseconds until each
// whole answer was read.
const timed = `async (asks) => {
	const times = [];
	for (const { path, body } of asks) {
		const from = performance.now();
		const answer = await fetch(path, body ? { method: "POST", headers: { "Content-Type": "application/json" }, body } : {});
		if (!answer.ok) throw new Error(path + ": " + (await answer.text()));
		const said = await answer.json();
		times.push(performance.now() - from);
		if (body && !said.moved && !said.others?.length) throw new Error("no impact: " + JSON.stringify(said.errors));
	}
	return times;
}`

// tasks notes every task of the page that kept it from answering for more than 50 ms.
const tasks = `() => {
	window.waits = [];
	new PerformanceObserver((list) => list.getEntries().forEach((e) => window.waits.push(e.duration))).observe({ type: "longtask" });
}`

type request struct {
	Path string `json:"path"`
	Body string `json:"body,omitempty"`
}

// largeProgram serves 100,000 products to every benchmark: making them takes minutes.
var largeProgram *program

func large(b *testing.B) *program {
	if largeProgram == nil {
		dir, err := os.MkdirTemp("", "dogbane-large")
		require.NoError(b, err)
		largeProgram = start(keptAlive{b}, dir, "--scale", "100000")
	}
	return largeProgram
}

// keptAlive is a benchmark whose end does not end what it started; runAll does.
type keptAlive struct{ *testing.B }

func (keptAlive) Cleanup(func()) {}

// BenchmarkCatalogue measures bringing in 100,000 rows that all change, and product pages at that size. Baseline in the
// same run: encoding/csv reading the same file.
func BenchmarkCatalogue(b *testing.B) {
	p := large(b)
	client := p.client(b, "wout")
	_, text := ask(b, client, "GET", p.url+"/api/book", nil)
	var book struct {
		Products []struct{ SKU, Name, List, Cost, Category string }
	}
	require.NoError(b, json.Unmarshal([]byte(text), &book))
	for round := 0; b.Loop(); round++ {
		var file bytes.Buffer
		w := csv.NewWriter(&file)
		require.NoError(b, w.Write([]string{"sku", "name", "list price", "cost", "category"}))
		for _, one := range book.Products {
			list := money.MustParse(one.List).Add(money.Ratio(int64(10*(round+1)), 100)).Fixed(2)
			require.NoError(b, w.Write([]string{one.SKU, one.Name, list, one.Cost, one.Category}))
		}
		w.Flush()
		began := time.Now()
		_, err := csv.NewReader(bytes.NewReader(file.Bytes())).ReadAll()
		require.NoError(b, err)
		b.ReportMetric(time.Since(began).Seconds(), "csv-alone-s")

		began = time.Now()
		var form bytes.Buffer
		parts := multipart.NewWriter(&form)
		part, err := parts.CreateFormFile("file", "all.csv")
		require.NoError(b, err)
		_, err = part.Write(file.Bytes())
		require.NoError(b, errors.Join(err, parts.Close()))
		resp, err := client.Post(p.url+"/api/imports?kind=products", parts.FormDataContentType(), &form)
		require.NoError(b, err)
		var preview struct {
			Token             string
			Mapping           map[string]string
			Changed, BadCount int
		}
		require.NoError(b, errors.Join(json.NewDecoder(resp.Body).Decode(&preview), resp.Body.Close()))
		require.Equal(b, len(book.Products), preview.Changed)
		b.ReportMetric(time.Since(began).Seconds(), "preview-s")

		began = time.Now()
		var job struct {
			ID    int64
			State string
		}
		_, said := ask(b, client, "POST", p.url+"/api/imports/"+preview.Token+"/import",
			map[string]any{"mapping": preview.Mapping})
		for {
			require.NoError(b, json.Unmarshal([]byte(said), &job), said)
			if job.State != "running" {
				break
			}
			time.Sleep(20 * time.Millisecond)
			_, said = ask(b, client, "GET", fmt.Sprintf("%s/api/jobs/%d", p.url, job.ID), nil)
		}
		require.Equal(b, "done", job.State, said)
		b.ReportMetric(time.Since(began).Seconds(), "import-s")

		// Once the log knows how many prices moved, only the search for flags goes on in the background.
		for moved := false; !moved; time.Sleep(100 * time.Millisecond) {
			var log struct{ Entries []struct{ Moved *int } }
			_, said := ask(b, client, "GET", p.url+"/api/log?limit=1", nil)
			require.NoError(b, json.Unmarshal([]byte(said), &log))
			moved = log.Entries[0].Moved != nil
		}
		pg := p.open(b, "/catalogue/settings")
		var pages []request
		for i := range 100 {
			pages = append(pages, request{Path: "/api/products/" + book.Products[i*997].SKU + "?channel=web"})
		}
		var times []float64
		require.NoError(b, pg.MustEval(timed, pages).Unmarshal(&times))
		slices.Sort(times)
		b.ReportMetric(times[len(times)/2], "page-p50-ms")
		b.ReportMetric(times[len(times)*95/100], "page-p95-ms")
	}
}

// BenchmarkWorkbench measures what a pricing manager waits for, as the browser sees it: 100,000 products, 300 rules.
// Baseline in the same run: the state of the book, the smallest answer there is.
func BenchmarkWorkbench(b *testing.B) {
	p := large(b)
	client := p.client(b, "wout")
	_, book := ask(b, client, "GET", p.url+"/api/book", nil)
	document := map[string]json.RawMessage{}
	require.NoError(b, json.Unmarshal([]byte(book), &document))
	var rules []map[string]any
	require.NoError(b, json.Unmarshal(document["rules"], &rules))
	layers := []string{"catalog", "sale", "tier", "group", "promotion"}
	sections := []string{"Clay", "Glazes", "Tools", "Kilns", "Wheels", "Studio"}
	for i := len(rules); i < 300; i++ {
		code := fmt.Sprintf("FILL-%d", i)
		rule := map[string]any{"code": code, "name": code, "layer": layers[i%5], "rank": 1000 + i,
			"where": map[string]any{"all": []any{map[string]any{"category": sections[i%6]},
				map[string]any{"list": map[string]string{"min": fmt.Sprint(i % 40), "max": fmt.Sprint(i%40 + 3)}}}}}
		if rule["layer"] == "tier" {
			rule["breaks"] = []any{map[string]any{"from": 12, "percentOff": "3"}}
		} else {
			rule["effect"] = map[string]string{"percentOff": fmt.Sprint(1 + i%9)}
		}
		rules = append(rules, rule)
	}
	text, err := json.Marshal(rules)
	require.NoError(b, err)
	document["rules"] = text
	p.unpin(b) // the filling moves their prices
	status, answer := ask(b, client, "PUT", fmt.Sprintf("%s/api/book?version=%d", p.url, p.version(b)), document)
	require.Equal(b, 200, status, answer)
	pg := p.open(b, "/stack/rule/QUAY-CLAY")
	pg.find("[data-testid=changed]")
	pg.MustEval(tasks)

	var clay, everything, elsewhere, boards, narrowed, jumps, states []request
	for i := range 100 {
		percent := fmt.Sprintf("%d.%d", 3+i/10, i%10)
		clay = append(clay, request{"/api/impact?channel=web",
			`{"code":"NEW-CLAY","name":"Clay","layer":"sale","rank":500,"where":{"category":"Clay"},"effect":{"percentOff":"` +
				percent + `"}}`})
		everything = append(everything, request{"/api/impact?channel=web",
			`{"code":"NEW-ALL","name":"All","layer":"sale","rank":501,"where":{"all":[]},"effect":{"percentOff":"` + percent +
				`"}}`})
		elsewhere = append(elsewhere, request{"/api/impact/elsewhere?channel=web", clay[i].Body})
		boards = append(boards, request{Path: fmt.Sprintf("/api/board?channel=web&limit=60&category=%s&sort=%s",
			sections[i%6], []string{"price", "margin", "name", "sku", "change"}[i%5])})
		narrowed = append(narrowed, request{Path: fmt.Sprintf(
			"/api/board?channel=web&limit=60&margin=:%d&margin-in=any&reach=changed&tags=heavy,%%22&stock=%d:&rows=500&sort=margin",
			10+i, i%7)})
		who := []string{"", "group:trade", "group:schools"}[i%3]
		at := time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC).AddDate(0, 0, i).Format("2006-01-02T15:04")
		jumps = append(jumps, request{Path: fmt.Sprintf("/api/board?channel=web&limit=60&who=%s&at=%s", who, at)})
		states = append(states, request{Path: "/api/state"})
	}
	for b.Loop() {
		for _, m := range []struct {
			name string
			asks []request
		}{{"state", states}, {"impact", clay}, {"impact-of-all", everything}, {"elsewhere", elsewhere}, {"board", boards},
			{"narrowed", narrowed}, {"jump", jumps}} {
			var times []float64
			require.NoError(b, pg.MustEval(timed, m.asks).Unmarshal(&times))
			b.Logf("%s: %.0f", m.name, times)
			slices.Sort(times)
			b.ReportMetric(times[len(times)/2], m.name+"-p50-ms")
			b.ReportMetric(times[len(times)*95/100], m.name+"-p95-ms")
		}
		pg.MustEval(`() => { window.waits.length = 0 }`)
		figure := pg.labelled("How much")
		for i := range 40 {
			pg.typeInto(figure, fmt.Sprintf("%d.%d", 4+i/10, i%10))
			time.Sleep(60 * time.Millisecond)
		}
		var waits []float64
		require.NoError(b, pg.MustEval(`() => window.waits`).Unmarshal(&waits))
		b.ReportMetric(slices.Max(append(waits, 0)), "typing-longest-task-ms")
	}
}
