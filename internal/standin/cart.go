package standin

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io"
	"log/slog"
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
	Name     string // of whoever sells
	pages    *template.Template
	names    func() map[string]string // of what is sold, by SKU
	carriage string                   // what delivery costs; "": nothing is delivered
	byHand   bool                     // whoever sells may take something off
	orders   string                   // what keys of orders begin with

	quotes atomic.Pointer[Quotes]
	Buyers []Buyer
	client http.Client
	cartMu sync.Mutex // guards carts and what is in them
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
	ByHand   *byHand  `json:"byHand,omitempty"`
}

// byHand is what whoever sells takes off.
type byHand struct {
	PercentOff string `json:"percentOff"`
}

type hire struct {
	From string `json:"from"`
	To   string `json:"to"`
}

// Ask says where it is asked what a cart costs.
func (t *checkout) Ask(q Quotes) { t.quotes.Store(&q) }

// SetBuyers says who may be signed in.
func (t *checkout) SetBuyers(list []Buyer) { t.Buyers = list }

const mostCarts = 500

// show draws a page.
func (t *checkout) show(w http.ResponseWriter, page string, data any) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	if err := t.pages.ExecuteTemplate(w, page, data); err != nil {
		slog.Error("a stand-in cannot show a page", "page", page, "error", err)
	}
}

func (t *checkout) cartPages(mux *http.ServeMux) {
	mux.HandleFunc("GET /cart", t.showCart)
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
			t.placeOrder(w, r)
			return
		}
		t.changeCart(w, r)
		http.Redirect(w, r, "/cart", http.StatusSeeOther)
	})
}

// cartOf is a visitor's cart, known by a cookie.
func (t *checkout) cartOf(w http.ResponseWriter, r *http.Request) *cart {
	t.cartMu.Lock()
	defer t.cartMu.Unlock()
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

func (t *checkout) changeCart(w http.ResponseWriter, r *http.Request) {
	c := t.cartOf(w, r)
	t.cartMu.Lock()
	defer t.cartMu.Unlock()
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
		c.add(line)
	case "add-all": // goods that belong together, each as it was chosen
		for i, sku := range r.Form["sku"] {
			n := 1
			if i < len(r.Form["quantity"]) {
				n, _ = strconv.Atoi(r.Form["quantity"][i])
			}
			c.add(cartLine{SKU: sku, Quantity: max(n, 1)})
		}
	case "change":
		if at >= 0 && err == nil {
			c.Lines[at].Quantity = n
		}
		if off := strings.TrimSpace(r.FormValue("off")); at >= 0 && t.byHand {
			if c.Lines[at].ByHand = nil; off != "" {
				c.Lines[at].ByHand = &byHand{off}
			}
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

// add puts a line into the cart, or its pieces into the line that is the same.
func (c *cart) add(line cartLine) {
	plain := func(l *cartLine) bool { return l.Options == nil && l.Hire == nil && l.ByHand == nil }
	for i := range c.Lines {
		if l := &c.Lines[i]; l.SKU == line.SKU && plain(l) && plain(&line) {
			l.Quantity += line.Quantity
			return
		}
	}
	if line.SKU != "" {
		c.Lines = append(c.Lines, line)
	}
}

// question is a cart as it is asked for.
func (t *checkout) question(c *cart) map[string]any {
	q := map[string]any{"lines": append([]cartLine{}, c.Lines...), "explain": true}
	if t.carriage != "" {
		q["shipping"] = t.carriage
	}
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
func (t *checkout) view(ctx context.Context, c *cart) map[string]any {
	t.cartMu.Lock()
	snapshot := *c
	question := t.question(c)
	t.cartMu.Unlock()
	out := map[string]any{"Shop": t.Name, "Cart": snapshot, "Buyers": t.Buyers,
		"ByHand": t.byHand, "Delivers": t.carriage != ""}
	if len(snapshot.Lines) == 0 {
		return out
	}
	var r receipt
	if err := t.call(ctx, http.MethodPost, "/quote", question, &r); err != nil {
		out["Problem"] = err.Error()
		return out
	}
	out["Receipt"], out["Names"] = r, t.names()
	return out
}

func (t *checkout) showCart(w http.ResponseWriter, r *http.Request) {
	t.show(w, "cart", t.view(r.Context(), t.cartOf(w, r)))
}

// placeOrder reports the cart as an order; asked twice, by a page sent twice, it is one.
func (t *checkout) placeOrder(w http.ResponseWriter, r *http.Request) {
	c := t.cartOf(w, r)
	t.cartMu.Lock()
	if c.Order == "" {
		c.Order = t.orders + rand.Text()[:10]
	}
	question := t.question(c)
	delete(question, "explain")
	order := map[string]any{"key": c.Order, "basket": question}
	if c.Email != "" {
		order["email"] = c.Email
	}
	t.cartMu.Unlock()
	var placed struct {
		Key    string
		Answer receipt
		Opens  []struct {
			Rule, Name, Goods, Until string
			Reduced                  shownGoods
		}
	}
	if err := t.call(r.Context(), http.MethodPost, "/orders", order, &placed); err != nil {
		view := t.view(r.Context(), c)
		view["Problem"] = "Nothing was ordered: " + err.Error()
		t.show(w, "cart", view)
		return
	}
	t.cartMu.Lock()
	email := c.Email
	*c = cart{Buyer: c.Buyer, Email: c.Email}
	t.cartMu.Unlock()
	t.show(w, "thanks", map[string]any{"Shop": t.Name, "Placed": placed, "Email": email})
}

// about is what the shop shows of an article besides its price: the price table, and what else the program tells.
func (t *checkout) about(ctx context.Context, sku, buyer string) map[string]any {
	var told struct {
		Title   string
		Unit    string
		Table   []struct{ Words string }
		From    *struct{ Words string }
		Deals   []*deal
		Texts   []struct{ Label, Message, Image, Alt, Badge, Terms string }
		Options []struct{ Code, Price string }
	}
	query := ""
	if buyer != "" {
		query = "?customer=" + url.QueryEscape(buyer)
	}
	if err := t.call(ctx, http.MethodGet, "/goods/"+url.PathEscape(sku)+query, nil, &told); err != nil {
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
	Has  bool
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

// Together reports whether the deal is of goods that are put in the cart together.
func (d *deal) Together() bool {
	units := len(d.Gives)
	for _, w := range d.Wants {
		units += w.Quantity
	}
	return units > 1 && len(d.Wants) > 0 && !d.After
}

// lastTime is the end of a span as a shop says it: the last day, or the last day with its hour.
func lastTime(end string) string {
	at, err := time.Parse("2006-01-02T15:04", end)
	switch {
	case err != nil:
		return "before " + end
	case at.Hour() == 0 && at.Minute() == 0:
		return "until " + at.AddDate(0, 0, -1).Format("2 January 2006")
	}
	return "until " + at.Format("2 January 2006, 15:04")
}

// pagesOf reads pages with what they call.
func pagesOf(files ...string) (*template.Template, error) {
	return template.New("").Funcs(template.FuncMap{"last": lastTime}).ParseFS(pages, files...)
}

// sets are the sets and add-ons that the shop shows on its shelf.
func (t *checkout) sets(ctx context.Context) any {
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
	if t.quotes.Load() == nil || t.call(ctx, http.MethodGet, "/sets", nil, &told) != nil {
		return nil
	}
	return told.Sets
}
