package standin

import (
	"bytes"
	"cmp"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
)

// Till is a shop till that takes price files from a folder: it reads in/NAME.csv, keeps the prices it takes, lays
// answers/NAME.csv down and moves the file to done. What a basket costs it asks.
type Till struct {
	Currency string
	checkout
	// Now is its clock; nil: the machine's.
	Now    func() time.Time
	folder string
	file   string

	mu      sync.Mutex // guards what follows
	goods   map[string]Article
	manners TillManners
}

// TillManners are how a till behaves; the zero value is that of one which is always on and answers at once.
type TillManners struct {
	Off     bool   // it is switched off: files wait
	CutOff  string // "18:00": what comes later on a day waits until midnight; "": nothing does
	Slow    time.Duration
	Refuses string // articles whose name has this word
	Twice   bool   // it lays each of its answers down twice
}

// Behave sets how the till behaves.
func (t *Till) Behave(m TillManners) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.manners = m
}

// open reports whether the till takes files now.
func (t *Till) open() bool {
	now := time.Now()
	if t.Now != nil {
		now = t.Now()
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	return !t.manners.Off && (t.manners.CutOff == "" || now.Format("15:04") < t.manners.CutOff)
}

// OpenTill starts a till whose folder is watched by Watch.
func OpenTill(folder, name, currency string) (*Till, error) {
	t := &Till{checkout: checkout{Name: name, byHand: true, orders: "T-"}, Currency: currency, folder: folder,
		file: filepath.Join(folder, "till.json"), goods: map[string]Article{}}
	t.names = func() map[string]string {
		t.mu.Lock()
		defer t.mu.Unlock()
		names := map[string]string{}
		for sku, a := range t.goods {
			names[sku] = a.Name
		}
		return names
	}
	var err error
	if t.pages, err = pagesOf("till.html", "cart.html"); err != nil {
		return nil, fmt.Errorf("read the till's pages: %w", err)
	}
	for _, sub := range []string{"in", "answers", "done"} {
		if err := os.MkdirAll(filepath.Join(folder, sub), 0o755); err != nil {
			return nil, fmt.Errorf("make the till's folder: %w", err)
		}
	}
	data, err := os.ReadFile(t.file)
	if err == nil {
		err = json.Unmarshal(data, &t.goods)
	} else if os.IsNotExist(err) {
		err = nil
	}
	if err != nil {
		return nil, fmt.Errorf("read the till's prices: %w", err)
	}
	return t, nil
}

// Watch takes files until ctx ends.
func (t *Till) Watch(ctx context.Context) {
	for {
		files, _ := filepath.Glob(filepath.Join(t.folder, "in", "*.csv"))
		for _, f := range files {
			if !t.open() {
				break
			}
			if err := t.take(f); err != nil {
				slog.Error("the till cannot take a price file", "file", filepath.Base(f), "error", err)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(150 * time.Millisecond):
		}
	}
}

func (t *Till) take(file string) error {
	name := filepath.Base(file)
	data, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	records, err := csv.NewReader(bytes.NewReader(data)).ReadAll()
	if err != nil {
		return err
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.manners.Slow > 0 {
		time.Sleep(t.manners.Slow)
	}
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	_ = w.Write([]string{"sku", "answer", "message"})
	column := func(r []string, name string) string {
		if i := slices.Index(records[0], name); i >= 0 {
			return r[i]
		}
		return ""
	}
	for i, r := range records {
		if i == 0 {
			continue
		}
		a := Article{SKU: column(r, "sku"), Name: column(r, "name"), Price: column(r, "price"),
			Reference: column(r, "reference"), Currency: column(r, "currency")}
		said, problem := "taken", ""
		switch {
		case column(r, "action") == "remove":
			delete(t.goods, a.SKU)
		case column(r, "group") != "" || i > 1 && records[i-1][0] == a.SKU: // further prices of an article that was dealt with
			continue
		case strings.ContainsAny(a.SKU, " \t"):
			said, problem = "refused", "the till's keys cannot type a number with a space"
		default:
			problem = objection(a, t.Currency)
			if word := strings.ToLower(t.manners.Refuses); problem == "" && word != "" &&
				strings.Contains(strings.ToLower(a.Name), word) {
				problem = fmt.Sprintf("nothing with %q is sold here", word)
			}
			if problem != "" {
				said = "refused"
			} else {
				t.goods[a.SKU] = a
			}
		}
		_ = w.Write([]string{a.SKU, said, problem})
	}
	w.Flush()
	if err := keepJSON(t.file, t.goods); err != nil {
		return err
	}
	if err := t.answer(name, out.Bytes()); err != nil {
		return err
	}
	if err := os.Rename(file, filepath.Join(t.folder, "done", name)); err != nil || !t.manners.Twice {
		return err
	}
	return t.answer(name, out.Bytes())
}

// answer lays an answer file down whole.
func (t *Till) answer(name string, text []byte) error {
	answer := filepath.Join(t.folder, "answers", name)
	if err := os.WriteFile(answer+".part", text, 0o644); err != nil {
		return err
	}
	return os.Rename(answer+".part", answer)
}

// Handler serves the till's page, to this machine alone: what it holds, and how it behaves.
func (t *Till) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", t.showPage)
	mux.HandleFunc("POST /{$}", t.setManners)
	t.cartPages(mux)
	return toThisMachine(mux)
}

func (t *Till) showPage(w http.ResponseWriter, r *http.Request) {
	open := t.open()
	waiting, _ := filepath.Glob(filepath.Join(t.folder, "in", "*.csv"))
	words := r.URL.Query().Get("q")
	t.mu.Lock()
	var found []Article
	for _, a := range t.goods {
		if strings.Contains(strings.ToLower(a.Name+" "+a.SKU), strings.ToLower(words)) {
			found = append(found, a)
		}
	}
	m := t.manners
	t.mu.Unlock()
	slices.SortFunc(found, func(a, b Article) int {
		return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.SKU, b.SKU))
	})
	total := len(found)
	t.show(w, "till", map[string]any{"Shop": t.Name, "Open": open, "Waiting": len(waiting), "Words": words,
		"Goods": found[:min(total, 200)], "Total": total, "Manners": m, "Slow": int(m.Slow.Seconds())})
}

func (t *Till) setManners(w http.ResponseWriter, r *http.Request) {
	if r.Header.Get("Sec-Fetch-Site") == "cross-site" || r.ParseForm() != nil {
		http.Error(w, "this form is sent from this till's own page", http.StatusForbidden)
		return
	}
	cutOff := r.PostForm.Get("cutoff")
	if _, err := time.Parse("15:04", cutOff); cutOff != "" && err != nil {
		http.Error(w, "write the hour of the cut-off as 18:00", http.StatusUnprocessableEntity)
		return
	}
	slow, _ := strconv.Atoi(r.PostForm.Get("slow"))
	t.Behave(TillManners{Off: r.PostForm.Get("off") != "", CutOff: cutOff, Refuses: r.PostForm.Get("refuses"),
		Twice: r.PostForm.Get("twice") != "", Slow: time.Duration(min(max(slow, 0), 60)) * time.Second})
	t.mu.Lock()
	if a, sold := t.goods[r.PostForm.Get("sku")]; sold {
		if a.Price = r.PostForm.Get("price"); a.Price == "" {
			delete(t.goods, a.SKU)
		} else {
			t.goods[a.SKU] = a
		}
	}
	t.mu.Unlock()
	http.Redirect(w, r, "/", http.StatusSeeOther)
}
