// Package codes holds the words of offers that are kept beside the book: how they are made, read and written, and when
// a use of an offer may be counted. Which offer a word opens under which conditions belongs to package basket; rows
// belong to package store.
package codes

import (
	"context"
	"crypto/rand"
	"fmt"
	"math"
	"math/big"
	"regexp"
	"strings"
	"sync"
	"time"

	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
)

// letters are those of made codes: none that is taken for another (B 8, D O Q 0, G 6, I L 1, S 5, U V, Z 2), no vowel,
// no Y and no digit that stands for one, so that no word comes about by chance.
const letters = "CFHJKMNPRTWX679"

// Form is what a word must look like.
var Form = regexp.MustCompile(`^[A-Z0-9-]{3,40}$`)

// Most is how many words an offer may have beside the book.
const Most = 1_000_000

// Batch says how codes are made.
type Batch struct {
	Prefix string // such as FAIR-
	Length int    // of what is drawn behind it
	Count  int
}

// MadeError says what is wrong with a batch, by its key.
type MadeError struct{ Key, Problem string }

func (e *MadeError) Error() string { return e.Key + ": " + e.Problem }

// leastOdds is how many possible codes there must be for each that is made, so that nobody finds one by guessing.
const leastOdds = 10_000

// Check says what is wrong with a batch, or nothing.
func (b *Batch) Check() *MadeError {
	switch {
	case b.Count < 1 || b.Count > 100_000:
		return &MadeError{"count", "must be from 1 to 100,000 at a time"}
	case b.Prefix != "" && !regexp.MustCompile(`^[A-Z0-9-]{1,20}$`).MatchString(b.Prefix):
		return &MadeError{"prefix", "must be up to 20 capital letters, digits and hyphens"}
	case b.Length < 4 || len(b.Prefix)+b.Length > 40:
		return &MadeError{"length", fmt.Sprintf("must be from 4 to %d letters", 40-len(b.Prefix))}
	}
	if least := b.least(); b.Length < least {
		return &MadeError{
			"length",
			fmt.Sprintf("%d codes of so few letters can be guessed: at least %d letters", b.Count, least),
		}
	}
	return nil
}

// least is the shortest length of which so many codes cannot be guessed.
func (b *Batch) least() int {
	return max(4, int(math.Ceil(math.Log(float64(b.Count)*leastOdds)/math.Log(float64(len(letters))))))
}

// Make draws different codes.
func (b *Batch) Make() ([]string, error) {
	if wrong := b.Check(); wrong != nil {
		return nil, wrong
	}
	words, seen := make([]string, 0, b.Count), make(map[string]bool, b.Count)
	n := big.NewInt(int64(len(letters)))
	for len(words) < b.Count {
		drawn := make([]byte, b.Length)
		for i := range drawn {
			k, err := rand.Int(rand.Reader, n)
			if err != nil {
				return nil, fmt.Errorf("draw a code: %w", err)
			}
			drawn[i] = letters[k.Int64()]
		}
		if word := b.Prefix + string(drawn); !seen[word] {
			seen[word] = true
			words = append(words, word)
		}
	}
	return words, nil
}

// Word is one word with how often it was used.
type Word struct {
	Word string
	Uses int
	Last *time.Time // when it was used last
}

// Use is one use of an offer that was asked to be counted.
type Use struct {
	Channel      string
	Key          string // the channel's own name of it, the same whenever it asks again
	Rule         string
	Code         string // "" where the offer has none
	Customer     string // "" of a guest
	Applications int
	Content      string // what else was said, to tell a repeated request from another one of the same key
	At           time.Time
}

// Bounds is how often an offer may be used; nil: as often as anybody likes.
type Bounds struct {
	Uses, UsesPerCustomer *int // orders, by word
	Stock, PerCustomer    *int // applications
}

// BoundsOf are those of an offer.
func BoundsOf(o *pricing.Offer) Bounds {
	b := Bounds{Stock: o.Stock, PerCustomer: o.PerCustomer}
	if o.Codes != nil {
		b.Uses, b.UsesPerCustomer = o.Codes.Uses, o.Codes.UsesPerCustomer
	}
	return b
}

// UsedUpError refuses a use: nothing is left of what it names.
type UsedUpError struct{ What string }

func (e *UsedUpError) Error() string { return e.What }

// OtherUseError refuses a use under a key that stands for another one already.
type OtherUseError struct{ Problem string }

func (e *OtherUseError) Error() string { return e.Problem }

// Keeper keeps words and their uses.
type Keeper interface {
	// CodeRules are the rules that each of some words opens.
	CodeRules(ctx context.Context, words []string) (map[string][]string, error)
	// Uses are how often offers, and the presented words, were used, in all and by a customer.
	Uses(ctx context.Context, words []string, customer string) (map[string]basket.Used, error)
}

// recentFor is how long what other instances counted may go unseen by questions of guests. Uses are counted within
// their bounds all the same.
const recentFor = time.Second

// Recent is a Keeper that remembers for a moment how often offers were used in all, which most questions ask.
type Recent struct {
	Keeper
	mu    sync.Mutex // guards what follows
	uses  map[string]basket.Used
	until time.Time
}

// Uses are how often offers, and the presented words, were used, in all and by a customer. What it gives must not be
// changed.
func (r *Recent) Uses(ctx context.Context, words []string, customer string) (map[string]basket.Used, error) {
	if len(words) > 0 || customer != "" {
		return r.Keeper.Uses(ctx, words, customer)
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if time.Now().Before(r.until) {
		return r.uses, nil
	}
	uses, err := r.Keeper.Uses(ctx, words, customer)
	if err == nil {
		r.uses, r.until = uses, time.Now().Add(recentFor)
	}
	return uses, err
}

// Forget lets go of what is remembered: a use was counted or given back.
func (r *Recent) Forget() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.until = time.Time{}
}

// Know puts into a question what is kept beside the book: which offers its words open, and how often they were used.
func Know(ctx context.Context, k Keeper, e *basket.Engine, q *basket.Question) error {
	counts, listed := e.Counts()
	if len(q.Codes) > 0 && listed {
		rules, err := k.CodeRules(ctx, q.Codes)
		if err != nil {
			return err
		}
		q.Listed = rules
	}
	if !counts && len(q.Codes) == 0 {
		return nil
	}
	used, err := k.Uses(ctx, q.Codes, q.Customer)
	if err != nil {
		return err
	}
	q.Used = used
	return nil
}

// Read finds the words of a text: one a line, or the first column of a CSV file, whose header may be there. bad are
// those that are no words, with their lines.
func Read(text string) (words []string, bad []Bad) {
	seen := map[string]bool{}
	text = strings.TrimPrefix(text, "\ufeff")
	for i, line := range strings.Split(text, "\n") {
		cell, _, _ := strings.Cut(strings.TrimSpace(line), ",")
		cell, _, _ = strings.Cut(cell, ";")
		cell, _, _ = strings.Cut(cell, "\t")
		cell = strings.Trim(strings.TrimSpace(cell), `"`)
		switch {
		case cell == "" || i == 0 && strings.EqualFold(cell, "code"):
		case !Form.MatchString(cell):
			bad = append(bad, Bad{i + 1, cell, "must be 3 to 40 capital letters, digits and hyphens"})
		case seen[cell]:
			bad = append(bad, Bad{i + 1, cell, "stands in the file twice"})
		default:
			seen[cell] = true
			words = append(words, cell)
		}
	}
	return words, bad
}

// Bad is a line that holds no word.
type Bad struct {
	Line    int    `json:"line"`
	Text    string `json:"text"`
	Problem string `json:"problem"`
}
