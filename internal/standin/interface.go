package standin

import (
	"crypto/subtle"
	"encoding/json"
	"fmt"
	"log/slog"
	"maps"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
)

// Manners are how a stand-in behaves, good or bad; the zero value is that of one which answers at once.
type Manners struct {
	Slow    time.Duration // before each answer
	Busy    bool          // it has no time: 503 with Retry-After
	Refuses string        // products whose name has this word
	Cuts    bool          // it breaks the connection after it has taken a part
	Reviews time.Duration // it takes parts in and deals with them so much later
	Twice   bool          // it answers each line twice
}

// answer is what the shop says to one line.
type answer struct {
	SKU     string `json:"sku"`
	Taken   bool   `json:"taken"`
	Message string `json:"message,omitempty"`
}

// answeredKeys are what was answered to the newest keys: the same key has the same answer.
type answeredKeys struct {
	mu    sync.Mutex
	by    map[string][]byte
	order []string
}

const mostKeys = 1000

func (k *answeredKeys) of(key string) []byte {
	k.mu.Lock()
	defer k.mu.Unlock()
	return k.by[key]
}

func (k *answeredKeys) keep(key string, body []byte) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.by == nil {
		k.by = map[string][]byte{}
	}
	if k.order = append(k.order, key); len(k.order) > mostKeys {
		delete(k.by, k.order[0])
		k.order = k.order[1:]
	}
	k.by[key] = body
}

// review is a part that was taken in.
type review struct {
	over time.Time
	part part
}

// part is a message as it comes.
type part struct {
	Publication int64     `json:"publication"`
	Part        int       `json:"part"`
	Effective   string    `json:"effective"`
	Lines       []Article `json:"lines"`
	Remove      []string  `json:"remove"`
}

func (s *Shop) admits(w http.ResponseWriter, r *http.Request) bool {
	given := strings.TrimPrefix(r.Header.Get("Authorization"), "Bearer ")
	if subtle.ConstantTimeCompare([]byte(given), []byte(s.token)) != 1 {
		http.Error(w, "who are you?", http.StatusUnauthorized)
		return false
	}
	return true
}

func (s *Shop) behaviour() Manners {
	s.mu.RLock()
	defer s.mu.RUnlock()
	return s.manners
}

func (s *Shop) takePrices(w http.ResponseWriter, r *http.Request) {
	if !s.admits(w, r) {
		return
	}
	manners := s.behaviour()
	time.Sleep(manners.Slow)
	if manners.Busy {
		w.Header().Set("Retry-After", "5")
		http.Error(w, "no time just now", http.StatusServiceUnavailable)
		return
	}
	key := r.Header.Get("Idempotency-Key")
	if known := s.answered.of(key); key != "" && known != nil {
		w.Header().Set("Content-Type", "application/json")
		_, _ = w.Write(known)
		return
	}
	var message part
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 64<<20)).Decode(&message); err != nil {
		http.Error(w, "cannot read the message: "+err.Error(), http.StatusBadRequest)
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if message.Publication < s.newest {
		http.Error(w, fmt.Sprintf("publication %d came before", s.newest), http.StatusConflict)
		return
	}
	if manners.Reviews > 0 {
		s.reviews[key] = &review{time.Now().Add(manners.Reviews), message}
		w.Header().Set("Retry-After", strconv.Itoa(max(1, int(manners.Reviews.Seconds()/4))))
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(http.StatusAccepted)
		_ = json.NewEncoder(w).Encode(map[string]string{"review": "/prices/reviews/" + key})
		return
	}
	body, err := s.take(&message)
	if err != nil {
		slog.Error("the shop cannot keep its goods", "error", err)
		http.Error(w, "the shop cannot keep its goods", http.StatusInternalServerError)
		return
	}
	if key != "" {
		s.answered.keep(key, body)
	}
	if manners.Cuts {
		panic(http.ErrAbortHandler)
	}
	w.Header().Set("Content-Type", "application/json")
	_, _ = w.Write(body)
}

// take takes what it likes of a part, and answers. The caller holds mu.
func (s *Shop) take(message *part) ([]byte, error) {
	s.turn()
	answers, kept := []answer{}, taken{Publication: message.Publication, Effective: message.Effective,
		Lines: []Article{}, Remove: message.Remove}
	for _, a := range message.Lines {
		problem := objection(a, s.Currency)
		if problem == "" && s.WholeUnits && a.Reference != "" && !strings.HasSuffix(a.Price, ".00") {
			problem = "reduced prices are whole amounts here"
		}
		if word := s.manners.Refuses; problem == "" && word != "" && strings.Contains(strings.ToLower(a.Name),
			strings.ToLower(word)) {
			problem = fmt.Sprintf("nothing with %q is sold here", word)
		}
		if problem == "" {
			kept.Lines = append(kept.Lines, a)
		}
		answers = append(answers, answer{a.SKU, problem == "", problem})
	}
	for _, sku := range message.Remove {
		answers = append(answers, answer{sku, true, ""})
	}
	if s.manners.Twice {
		answers = append(answers, answers...)
	}
	if err := s.keep(kept); err != nil {
		return nil, err
	}
	s.apply(kept)
	if s.written > mostMessages {
		if err := s.writeDown(); err != nil {
			slog.Error("the shop cannot write its goods down whole", "error", err)
		}
	}
	return json.Marshal(map[string]any{"answers": answers})
}

func (s *Shop) tellReview(w http.ResponseWriter, r *http.Request) {
	if !s.admits(w, r) {
		return
	}
	key := r.PathValue("key")
	w.Header().Set("Content-Type", "application/json")
	if known := s.answered.of(key); known != nil {
		_, _ = w.Write(known)
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	pending := s.reviews[key]
	switch {
	case pending == nil:
		http.Error(w, "there is no such review", http.StatusNotFound)
	case time.Now().Before(pending.over):
		w.Header().Set("Retry-After", strconv.Itoa(max(1, int(time.Until(pending.over).Seconds()))))
		w.WriteHeader(http.StatusAccepted)
		_ = json.NewEncoder(w).Encode(map[string]string{"review": "/prices/reviews/" + key})
	default:
		body, err := s.take(&pending.part)
		if err != nil {
			http.Error(w, "the shop cannot keep its goods", http.StatusInternalServerError)
			return
		}
		delete(s.reviews, key)
		s.answered.keep(key, body)
		_, _ = w.Write(body)
	}
}

func (s *Shop) tellPrices(w http.ResponseWriter, r *http.Request) {
	if !s.admits(w, r) {
		return
	}
	const page = 1000
	s.turned()
	after := r.URL.Query().Get("after")
	s.mu.RLock()
	skus := slices.Sorted(maps.Keys(s.goods))
	at, _ := slices.BinarySearch(skus, after+"\x00")
	if after == "" {
		at = 0
	}
	var answer struct {
		Lines []Article `json:"lines"`
		Next  string    `json:"next,omitempty"`
	}
	answer.Lines = []Article{}
	for _, sku := range skus[at:min(at+page, len(skus))] {
		answer.Lines = append(answer.Lines, s.goods[sku])
	}
	s.mu.RUnlock()
	if at+page < len(skus) {
		answer.Next = skus[at+page-1]
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(answer)
}

func (s *Shop) showManners(w http.ResponseWriter, _ *http.Request) {
	s.mu.RLock()
	m, reviewed := s.manners, len(s.reviews)
	total := len(s.goods)
	s.mu.RUnlock()
	s.show(w, "manners", map[string]any{"Shop": s.Name, "Manners": m, "Slow": int(m.Slow.Seconds()),
		"Reviews": int(m.Reviews.Seconds()), "Reviewed": reviewed, "Total": total, "Others": s.Others})
}

func (s *Shop) setManners(w http.ResponseWriter, r *http.Request) {
	if r.Header.Get("Sec-Fetch-Site") == "cross-site" || r.ParseForm() != nil {
		http.Error(w, "this form is sent from this shop's own page", http.StatusForbidden)
		return
	}
	seconds := func(name string) time.Duration {
		n, _ := strconv.Atoi(r.PostForm.Get(name))
		return time.Duration(min(max(n, 0), 3600)) * time.Second
	}
	s.mu.Lock()
	s.manners = Manners{Slow: seconds("slow"), Busy: r.PostForm.Get("busy") != "", Refuses: r.PostForm.Get("refuses"),
		Cuts: r.PostForm.Get("cuts") != "", Reviews: seconds("reviews"), Twice: r.PostForm.Get("twice") != ""}
	switch sku := r.PostForm.Get("sku"); {
	case sku == "":
	case r.PostForm.Get("price") == "":
		delete(s.goods, sku)
	default:
		if a, sold := s.goods[sku]; sold {
			a.Price = r.PostForm.Get("price")
			s.goods[sku] = a
		}
	}
	s.mu.Unlock()
	http.Redirect(w, r, "/manners", http.StatusSeeOther)
}

// Behave sets how the shop behaves.
func (s *Shop) Behave(m Manners) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.manners = m
}
