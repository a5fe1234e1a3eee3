package standin

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"
)

// Quotes is where a shop asks what a cart costs, with its key.
type Quotes struct {
	Address string // of the channel: http://127.0.0.1:4180/channel/web
	Key     string
}

// Buyer is somebody who may be signed in at the shop.
type Buyer struct{ Code, Name string }

// checkout asks for quotes and keeps carts, in memory.
type checkout struct {
	quotes atomic.Pointer[Quotes]
	Buyers []Buyer
	client http.Client
	mu     sync.Mutex
	carts  map[string]*cart
}

// cart is what one visitor has put together.
type cart struct {
	Buyer, Email string
	Codes        []string
	Lines        []cartLine
	Order        string // the key of the order that is being placed
}

type cartLine struct {
	SKU      string   `json:"sku"`
	Quantity int      `json:"quantity"`
	Options  []string `json:"options,omitempty"`
	Hire     *hire    `json:"hire,omitempty"`
}

type hire struct {
	From string `json:"from"`
	To   string `json:"to"`
}

// Ask says where the shop asks what a cart costs.
func (s *Shop) Ask(q Quotes) { s.checkout.quotes.Store(&q) }

// SetBuyers says who may be signed in at the shop.
func (s *Shop) SetBuyers(list []Buyer) { s.checkout.Buyers = list }

const (
	carriage  = "6.95"
	mostCarts = 500
)

func (s *Shop) cartPages(mux *http.ServeMux) {
	mux.HandleFunc("GET /cart", s.showCart)
	mux.HandleFunc("POST /cart/{what}", func(w http.ResponseWriter, r *http.Request) {
		if origin := r.Header.Get("Origin"); origin != "" && origin != "http://"+r.Host {
			http.Error(w, "another site's page sent this", http.StatusForbidden)
			return
		}
		r.Body = http.MaxBytesReader(w, r.Body, 1<<16)
		if err := r.ParseForm(); err != nil {
			http.Error(w, "cannot read the form", http.StatusBadRequest)
			return
		}
		if r.PathValue("what") == "order" {
			s.placeOrder(w, r)
			return
		}
		s.changeCart(w, r)
		http.Redirect(w, r, "/cart", http.StatusSeeOther)
	})
}

// cartOf is a visitor's cart, known by a cookie.
func (t *checkout) cartOf(w http.ResponseWriter, r *http.Request) *cart {
	t.mu.Lock()
	defer t.mu.Unlock()
	if c, err := r.Cookie("cart"); err == nil && t.carts[c.Value] != nil {
		return t.carts[c.Value]
	}
	if len(t.carts) > mostCarts { // of a stand-in nobody misses them
		t.carts = nil
	}
	if t.carts == nil {
		t.carts = map[string]*cart{}
	}
	id := rand.Text()
	t.carts[id] = &cart{}
	http.SetCookie(w, &http.Cookie{Name: "cart", Value: id, Path: "/", HttpOnly: true, SameSite: http.SameSiteLaxMode})
	return t.carts[id]
}

func (s *Shop) changeCart(w http.ResponseWriter, r *http.Request) {
	c := s.checkout.cartOf(w, r)
	s.checkout.mu.Lock()
	defer s.checkout.mu.Unlock()
	c.Order = ""
	sku, at := r.FormValue("sku"), -1
	if i, err := strconv.Atoi(r.FormValue("line")); err == nil && i >= 0 && i < len(c.Lines) {
		at = i
	}
	n, err := strconv.Atoi(strings.TrimSpace(r.FormValue("quantity")))
	switch r.PathValue("what") {
	case "add":
		if err != nil {
			n = 1
		}
		line := cartLine{SKU: sku, Quantity: n, Options: r.Form["option"]}
		if from := r.FormValue("from"); from != "" {
			line.Hire = &hire{from, r.FormValue("to")}
		}
		plain := line.Options == nil && line.Hire == nil
		same := slices.IndexFunc(c.Lines, func(l cartLine) bool { return l.SKU == sku && l.Options == nil && l.Hire == nil })
		if plain && same >= 0 {
			c.Lines[same].Quantity += n
		} else if sku != "" {
			c.Lines = append(c.Lines, line)
		}
	case "change":
		if at >= 0 && err == nil {
			c.Lines[at].Quantity = n
		}
		if at >= 0 && n < 1 {
			c.Lines = slices.Delete(c.Lines, at, at+1)
		}
	case "code":
		if code := strings.TrimSpace(r.FormValue("code")); code != "" && !slices.Contains(c.Codes, code) {
			c.Codes = append(c.Codes, code)
		}
	case "uncode":
		c.Codes = slices.DeleteFunc(c.Codes, func(code string) bool { return code == r.FormValue("code") })
	case "buyer":
		c.Buyer = r.FormValue("buyer")
		c.Email = ""
		if c.Buyer != "" {
			c.Email = strings.ToLower(c.Buyer) + "@pottery.example"
		}
	}
}

// question is a cart as it is asked for.
func (c *cart) question() map[string]any {
	q := map[string]any{"lines": append([]cartLine{}, c.Lines...), "shipping": carriage, "explain": true}
	if len(c.Codes) > 0 {
		q["codes"] = c.Codes
	}
	if c.Buyer != "" {
		q["customer"] = c.Buyer
	}
	return q
}

// receipt is what the shop reads of a quote.
type receipt struct {
	Currency                       string
	Subtotal, Off, Shipping, Total string
	Lines                          []struct {
		SKU                   string
		Quantity              int
		Unit, Total, Subtotal *string
		Portions              []struct{ Labels []string }
		Hired                 *struct{ Words string }
	}
	Offers   []struct{ Rule, Label, Off, Code string }
	Tax      []struct{ Percent, Of, Amount string }
	Idle     []struct{ Code, Label, Words string }
	Problems []struct{ Path, Problem string }
	Nudges   []struct {
		Rule         string
		Costs, Saves string
		Add          []struct {
			SKU      string
			Quantity int
		}
	}
}

// refusal is what the program says when it does not answer what was asked.
type refusal struct {
	Detail string
	Errors []struct{ Location, Message string }
}

func (r *refusal) Error() string {
	if len(r.Errors) > 0 {
		return r.Errors[0].Location + " " + r.Errors[0].Message
	}
	return r.Detail
}

// call asks the program.
func (t *checkout) call(ctx context.Context, method, path string, body, into any) error {
	q := t.quotes.Load()
	if q == nil {
		return errors.New("this shop cannot sell: it has nobody to ask what a cart costs")
	}
	var data io.Reader
	if body != nil {
		text, err := json.Marshal(body)
		if err != nil {
			return fmt.Errorf("write what is asked: %w", err)
		}
		data = bytes.NewReader(text)
	}
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, method, q.Address+path, data)
	if err != nil {
		return fmt.Errorf("ask the program: %w", err)
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Authorization", "Bearer "+q.Key)
	resp, err := t.client.Do(req)
	if err != nil {
		return fmt.Errorf("ask the program: %w", err)
	}
	defer resp.Body.Close()
	if resp.StatusCode >= 300 {
		no := &refusal{Detail: resp.Status}
		_ = json.NewDecoder(io.LimitReader(resp.Body, 1<<20)).Decode(no)
		return no
	}
	if err := json.NewDecoder(io.LimitReader(resp.Body, 16<<20)).Decode(into); err != nil {
		return fmt.Errorf("read the program's answer: %w", err)
	}
	return nil
}

// view is what the pages of a cart show.
func (s *Shop) view(ctx context.Context, c *cart) map[string]any {
	s.checkout.mu.Lock()
	snapshot := *c
	question := c.question()
	s.checkout.mu.Unlock()
	out := map[string]any{"Shop": s.Name, "Cart": snapshot, "Buyers": s.checkout.Buyers}
	if len(snapshot.Lines) == 0 {
		return out
	}
	var r receipt
	if err := s.checkout.call(ctx, http.MethodPost, "/quote", question, &r); err != nil {
		out["Problem"] = err.Error()
		return out
	}
	s.mu.RLock()
	names := map[string]string{}
	for sku, a := range s.goods {
		names[sku] = a.Name
	}
	s.mu.RUnlock()
	out["Receipt"], out["Names"] = r, names
	return out
}

func (s *Shop) showCart(w http.ResponseWriter, r *http.Request) {
	s.show(w, "cart", s.view(r.Context(), s.checkout.cartOf(w, r)))
}

// placeOrder reports the cart as an order; asked twice, by a page sent twice, it is one.
func (s *Shop) placeOrder(w http.ResponseWriter, r *http.Request) {
	c := s.checkout.cartOf(w, r)
	s.checkout.mu.Lock()
	if c.Order == "" {
		c.Order = "W-" + rand.Text()[:10]
	}
	question := c.question()
	delete(question, "explain")
	order := map[string]any{"key": c.Order, "basket": question}
	if c.Email != "" {
		order["email"] = c.Email
	}
	s.checkout.mu.Unlock()
	var placed struct {
		Key    string
		Answer receipt
		Opens  []struct {
			Rule, Name, Goods, Until string
			Reduced                  shownGoods
		}
	}
	if err := s.checkout.call(r.Context(), http.MethodPost, "/orders", order, &placed); err != nil {
		view := s.view(r.Context(), c)
		view["Problem"] = "Nothing was ordered: " + err.Error()
		s.show(w, "cart", view)
		return
	}
	s.checkout.mu.Lock()
	email := c.Email
	*c = cart{Buyer: c.Buyer, Email: c.Email}
	s.checkout.mu.Unlock()
	s.show(w, "thanks", map[string]any{"Shop": s.Name, "Placed": placed, "Email": email})
}

// goods is what the shop shows of an article besides its price: the price table, and what else the program tells.
func (s *Shop) about(ctx context.Context, sku, buyer string) map[string]any {
	var told struct {
		Title   string
		Unit    string
		Table   []struct{ Words string }
		From    *struct{ Words string }
		Deals   []deal
		Texts   []struct{ Label, Message, Image, Alt, Badge, Terms string }
		Options []struct{ Code, Price string }
	}
	query := ""
	if buyer != "" {
		query = "?customer=" + url.QueryEscape(buyer)
	}
	if err := s.checkout.call(ctx, http.MethodGet, "/goods/"+url.PathEscape(sku)+query, nil, &told); err != nil {
		return nil
	}
	return map[string]any{"Told": told}
}

// shownGoods is goods that an offer looks at, and how many there are besides those that are named.
type shownGoods struct {
	Quantity int
	Goods    []struct {
		SKU, Name string
		Quantity  int
	}
	Many int
}

// Others is how many goods are not named.
func (g shownGoods) Others() int { return g.Many - len(g.Goods) }

// deal is an offer that an article can take part in.
type deal struct {
	Title, Message, Badge, Image, Alt, Terms, To string
	Wants, Gives                                 []shownGoods
	Code, After                                  bool
	Left                                         *int
}

// sets are the sets and add-ons that the shop shows on its shelf.
func (s *Shop) sets(ctx context.Context) any {
	var told struct {
		Sets []struct {
			Title, Message, Apart, Together, Saves, Currency string
			Left                                             *int
			Goods                                            []struct {
				SKU, Name string
				Quantity  int
			}
		}
	}
	if s.checkout.quotes.Load() == nil || s.checkout.call(ctx, http.MethodGet, "/sets", nil, &told) != nil {
		return nil
	}
	return told.Sets
}
