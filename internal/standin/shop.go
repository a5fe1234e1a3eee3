// Package standin holds the simulated sales channels that ship with the program. They are reached as real ones would
// be, over HTTP or through a folder of files, keep their own state and know nothing of the book.
package standin

import (
	"cmp"
	"crypto/subtle"
	"embed"
	"encoding/json"
	"fmt"
	"html/template"
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

//go:embed shop.html
var pages embed.FS

// Shop is a web shop with a price interface (PUT /interface/prices) and pages of its own where the prices are seen.
type Shop struct {
	Name, Currency string
	WholeUnits     bool // refuses a reduced price that is no whole amount
	token, file    string
	pages          *template.Template
	mu             sync.RWMutex
	goods          map[string]Article
	keeping        *time.Timer // nil: everything is kept
}

// Article is what the shop shows of one product.
type Article struct {
	SKU       string `json:"sku"`
	Name      string `json:"name"`
	Price     string `json:"price"`
	Reference string `json:"reference,omitempty"`
	Currency  string `json:"currency"`
	Remove    bool   `json:"remove,omitempty"`
}

// OpenShop starts a shop whose state lives in folder. Only callers with the token may set prices.
func OpenShop(folder, name, currency, token string) (*Shop, error) {
	s := &Shop{Name: name, Currency: currency, token: token, file: filepath.Join(folder, "shop.json"), goods: map[string]Article{}}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, fmt.Errorf("make the shop's folder: %w", err)
	}
	data, err := os.ReadFile(s.file)
	if err == nil {
		err = json.Unmarshal(data, &s.goods)
	} else if os.IsNotExist(err) {
		err = nil
	}
	if err != nil {
		return nil, fmt.Errorf("read the shop's goods: %w", err)
	}
	s.pages, err = template.ParseFS(pages, "shop.html")
	if err != nil {
		return nil, fmt.Errorf("read the shop's pages: %w", err)
	}
	return s, nil
}

// Handler serves the shop.
func (s *Shop) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("PUT /interface/prices", s.takePrices)
	mux.HandleFunc("GET /{$}", s.shelf)
	mux.HandleFunc("GET /goods/{sku...}", s.article)
	return mux
}

type answer struct {
	SKU     string `json:"sku"`
	Taken   bool   `json:"taken"`
	Message string `json:"message,omitempty"`
}

func (s *Shop) takePrices(w http.ResponseWriter, r *http.Request) {
	given := strings.TrimPrefix(r.Header.Get("Authorization"), "Bearer ")
	if subtle.ConstantTimeCompare([]byte(given), []byte(s.token)) != 1 {
		http.Error(w, "who are you?", http.StatusUnauthorized)
		return
	}
	var message struct {
		Prices []Article `json:"prices"`
	}
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 16<<20)).Decode(&message); err != nil {
		http.Error(w, "cannot read the message: "+err.Error(), http.StatusBadRequest)
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	answers := []answer{}
	for _, a := range message.Prices {
		if a.Remove {
			delete(s.goods, a.SKU)
			answers = append(answers, answer{a.SKU, true, ""})
			continue
		}
		problem := objection(a, s.Currency)
		if problem == "" && s.WholeUnits && a.Reference != "" && !strings.HasSuffix(a.Price, ".00") {
			problem = "reduced prices are whole amounts here"
		}
		if problem != "" {
			answers = append(answers, answer{a.SKU, false, problem})
			continue
		}
		s.goods[a.SKU] = a
		answers = append(answers, answer{a.SKU, true, ""})
	}
	if s.keeping == nil { // a large publication comes in many messages: the file is written once they pause
		s.keeping = time.AfterFunc(300*time.Millisecond, s.Close)
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(map[string]any{"answers": answers})
}

// objection is why a stand-in would not show a price.
func objection(a Article, currency string) string {
	price, err := strconv.ParseFloat(a.Price, 64) // a stand-in only compares; it computes no price
	switch {
	case a.SKU == "":
		return "an article needs a number"
	case strings.TrimSpace(a.Name) == "":
		return "an article without a name cannot be shown"
	case a.Currency != currency:
		return "this shop sells in " + currency
	case err != nil || price <= 0:
		return "a price must be above 0"
	}
	if a.Reference != "" {
		if reference, err := strconv.ParseFloat(a.Reference, 64); err != nil || reference <= price {
			return "the reference price must be above the price"
		}
	}
	return ""
}

// Close keeps what was not kept yet.
func (s *Shop) Close() {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.keeping == nil {
		return
	}
	s.keeping.Stop()
	s.keeping = nil
	if err := keepJSON(s.file, s.goods); err != nil {
		slog.Error("the shop cannot keep its goods", "error", err)
	}
}

func keepJSON(file string, v any) error {
	data, err := json.Marshal(v)
	if err != nil {
		return err
	}
	if err := os.WriteFile(file+".part", data, 0o644); err != nil {
		return err
	}
	return os.Rename(file+".part", file)
}

func (s *Shop) shelf(w http.ResponseWriter, r *http.Request) {
	words := strings.ToLower(r.URL.Query().Get("q"))
	s.mu.RLock()
	var found []Article
	for _, a := range s.goods {
		if strings.Contains(strings.ToLower(a.Name+" "+a.SKU), words) {
			found = append(found, a)
		}
	}
	s.mu.RUnlock()
	slices.SortFunc(found, func(a, b Article) int { return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.SKU, b.SKU)) })
	total := len(found)
	s.show(w, "shelf", map[string]any{"Shop": s.Name, "Words": r.URL.Query().Get("q"), "Goods": found[:min(total, 120)], "Total": total})
}

func (s *Shop) article(w http.ResponseWriter, r *http.Request) {
	s.mu.RLock()
	a, sold := s.goods[r.PathValue("sku")]
	s.mu.RUnlock()
	if !sold {
		w.WriteHeader(http.StatusNotFound)
	}
	s.show(w, "article", map[string]any{"Shop": s.Name, "Sold": sold, "Article": a, "SKU": r.PathValue("sku")})
}

func (s *Shop) show(w http.ResponseWriter, page string, data any) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	if err := s.pages.ExecuteTemplate(w, page, data); err != nil {
		slog.Error("the shop cannot show a page", "page", page, "error", err)
	}
}
