// Package standin holds the simulated sales channels that ship with the program. They are reached as real ones would
// be, over HTTP or through a folder of files, keep their own state and know nothing of the book.
package standin

import (
	"bufio"
	"cmp"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
)

//go:embed *.html
var pages embed.FS

// Shop is a web shop with a price interface (PUT /interface/prices) and pages of its own where the prices are seen.
type Shop struct {
	Currency    string
	WholeUnits  bool // refuses a reduced price that is no whole amount
	token, file string
	mu          sync.RWMutex
	goods       map[string]Article
	messages    *os.File // what was taken since goods were written down whole
	written     int64    // bytes of it
	newest      int64    // the newest publication of which anything came
	answered    answeredKeys
	reviews     map[string]*review
	manners     Manners
	later       map[string]laterArticle // what is shown from an instant on
	// Now is its clock; nil: the machine's.
	Now func() time.Time
	checkout
	// Others are where the other simulated channels are seen.
	Others []Other
	fetching
	// Mails, where it is set, is a page of the mails to customers.
	Mails http.HandlerFunc
}

// Other is another simulated channel.
type Other struct{ Name, Page string }

// Article is what the shop shows of one product.
type Article struct {
	SKU       string `json:"sku"`
	Name      string `json:"name"`
	Price     string `json:"price"`
	Reference string `json:"reference,omitempty"`
	Currency  string `json:"currency"`
	Label     string `json:"label,omitempty"`
	Tags      struct {
		Add, Remove []string
	} `json:"tags"`
}

// taken is what the shop took of one part.
type taken struct {
	Publication int64     `json:"publication"`
	Effective   string    `json:"effective,omitempty"`
	Lines       []Article `json:"lines"`
	Remove      []string  `json:"remove"`
}

// laterArticle is what the shop shows of an article from an instant on; nil: nothing.
type laterArticle struct {
	Article *Article
	At      time.Time
}

// turn shows what has come. The caller holds mu.
func (s *Shop) turn() {
	now := time.Now()
	if s.Now != nil {
		now = s.Now()
	}
	for sku, l := range s.later {
		if l.At.After(now) {
			continue
		}
		if delete(s.later, sku); l.Article == nil {
			delete(s.goods, sku)
		} else {
			s.goods[sku] = *l.Article
		}
	}
}

// turned is turn for those who only read.
func (s *Shop) turned() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.turn()
}

// OpenShop starts a shop whose state lives in folder. Only callers with the token may set prices.
func OpenShop(folder, name, currency, token string) (*Shop, error) {
	s := &Shop{checkout: checkout{Name: name, carriage: "6.95", orders: "W-"}, Currency: currency, token: token, file: filepath.Join(folder, "shop.json"),
		goods: map[string]Article{}, reviews: map[string]*review{}, later: map[string]laterArticle{}}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, fmt.Errorf("make the shop's folder: %w", err)
	}
	if err := s.load(); err != nil {
		return nil, fmt.Errorf("read the shop's goods: %w", err)
	}
	var err error
	s.names = func() map[string]string {
		s.mu.RLock()
		defer s.mu.RUnlock()
		names := map[string]string{}
		for sku, a := range s.goods {
			names[sku] = a.Name
		}
		return names
	}
	s.pages, err = pagesOf("shop.html", "cart.html", "manners.html")
	if err != nil {
		return nil, fmt.Errorf("read the shop's pages: %w", err)
	}
	return s, nil
}

// load reads the goods as they were written down last, takes the messages since, and writes all down whole.
func (s *Shop) load() error {
	data, err := os.ReadFile(s.file)
	if err == nil {
		err = json.Unmarshal(data, &s.goods)
	} else if os.IsNotExist(err) {
		err = nil
	}
	if data, read := os.ReadFile(s.file + ".later"); err == nil && read == nil {
		err = json.Unmarshal(data, &s.later)
	}
	if err != nil {
		return err
	}
	if s.messages, err = os.OpenFile(s.file+".messages", os.O_CREATE|os.O_RDWR|os.O_APPEND, 0o600); err != nil {
		return err
	}
	lines := bufio.NewScanner(s.messages)
	lines.Buffer(nil, 64<<20)
	for lines.Scan() {
		var t taken
		if json.Unmarshal(lines.Bytes(), &t) != nil {
			break // the last one, which was not kept whole and so not acknowledged
		}
		s.apply(t)
	}
	if err := lines.Err(); err != nil {
		return err
	}
	return s.writeDown()
}

func (s *Shop) apply(t taken) {
	at, err := time.Parse(time.RFC3339, t.Effective)
	ahead := err == nil
	for _, a := range t.Lines {
		if ahead {
			s.later[a.SKU] = laterArticle{&a, at}
			continue
		}
		s.goods[a.SKU] = a
		delete(s.later, a.SKU)
	}
	for _, sku := range t.Remove {
		if ahead {
			s.later[sku] = laterArticle{nil, at}
			continue
		}
		delete(s.goods, sku)
		delete(s.later, sku)
	}
	s.newest = max(s.newest, t.Publication)
}

// writeDown writes the goods whole; the messages before are done with.
func (s *Shop) writeDown() error {
	if err := errors.Join(keepJSON(s.file, s.goods), keepJSON(s.file+".later", s.later)); err != nil {
		return err
	}
	s.written = 0
	return s.messages.Truncate(0)
}

// mostMessages is how many bytes of messages are kept before the goods are written down whole.
const mostMessages = 32 << 20

// keep has what is to be shown on the disk before it is acknowledged.
func (s *Shop) keep(t taken) error {
	line, err := json.Marshal(t)
	if err != nil {
		return err
	}
	n, err := s.messages.Write(append(line, '\n'))
	if err == nil {
		err = s.messages.Sync()
	}
	s.written += int64(n)
	return err
}

// Handler serves the shop, to this machine alone.
func (s *Shop) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("PUT /interface/prices", s.takePrices)
	mux.HandleFunc("GET /interface/prices", s.tellPrices)
	mux.HandleFunc("GET /interface/prices/reviews/{key}", s.tellReview)
	mux.HandleFunc("GET /manners", s.showManners)
	mux.HandleFunc("POST /manners", s.setManners)
	mux.HandleFunc("GET /{$}", s.shelf)
	mux.HandleFunc("GET /goods/{sku...}", s.article)
	s.cartPages(mux)
	if s.Mails != nil {
		mux.HandleFunc("GET /mails", s.Mails)
	}
	return toThisMachine(mux)
}

// toThisMachine refuses requests that were sent to any other name.
func toThisMachine(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host := r.Host
		if name, _, err := net.SplitHostPort(host); err == nil {
			host = name
		}
		if host != "127.0.0.1" && host != "localhost" {
			http.Error(w, "this shop answers to 127.0.0.1 and localhost only", http.StatusForbidden)
			return
		}
		next.ServeHTTP(w, r)
	})
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

// Close writes everything down.
func (s *Shop) Close() {
	s.mu.Lock()
	defer s.mu.Unlock()
	if err := errors.Join(s.writeDown(), s.messages.Close()); err != nil {
		slog.Error("the shop cannot keep its goods", "error", err)
	}
}

// keepJSON writes a file whole, or leaves the one that is there.
func keepJSON(file string, v any) error {
	data, err := json.Marshal(v)
	if err != nil {
		return err
	}
	f, err := os.OpenFile(file+".part", os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return err
	}
	return os.Rename(file+".part", file)
}

func (s *Shop) shelf(w http.ResponseWriter, r *http.Request) {
	s.turned()
	words := strings.ToLower(r.URL.Query().Get("q"))
	s.mu.RLock()
	var found []Article
	for _, a := range s.goods {
		if strings.Contains(strings.ToLower(a.Name+" "+a.SKU), words) {
			found = append(found, a)
		}
	}
	s.mu.RUnlock()
	slices.SortFunc(found, func(a, b Article) int {
		return cmp.Or(cmp.Compare(a.Name, b.Name),
			cmp.Compare(a.SKU, b.SKU))
	})
	total := len(found)
	s.show(w, "shelf", map[string]any{"Shop": s.Name, "Words": r.URL.Query().Get("q"), "Goods": found[:min(total, 120)],
		"Total": total, "Sets": s.sets(r.Context())})
}

func (s *Shop) article(w http.ResponseWriter, r *http.Request) {
	s.turned()
	s.mu.RLock()
	a, sold := s.goods[r.PathValue("sku")]
	s.mu.RUnlock()
	if !sold {
		w.WriteHeader(http.StatusNotFound)
	}
	page := map[string]any{"Shop": s.Name, "Sold": sold, "Article": a, "SKU": r.PathValue("sku")}
	if sold {
		maps.Copy(page, s.about(r.Context(), a.SKU, s.cartOf(w, r).Buyer))
	}
	s.show(w, "article", page)
}
