package server

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/codes"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/store"
)

// BasketQuery asks what goods cost together.
type BasketQuery struct {
	ViewpointQuery
	Body BasketForm
}

// BasketForm is the goods, and what is presented with them.
type BasketForm struct {
	Lines    []BasketFormLine `json:"lines"`
	Codes    []string         `json:"codes,omitempty" doc:"words presented"`
	Shipping string           `json:"shipping,omitempty" doc:"what it costs, on the channel's footing"`
	Before   []BasketFormLine `json:"before,omitempty" doc:"the lines before the last change: the answer says what that changed"`
}

// BasketFormLine is a line that is asked for, as docs/book.md writes it.
type BasketFormLine struct {
	SKU      string        `json:"sku"`
	Quantity int           `json:"quantity"`
	Options  []string      `json:"options,omitempty"`
	Term     int           `json:"term,omitempty" doc:"months"`
	Hire     *BasketHire   `json:"hire,omitempty"`
	ByHand   *BasketByHand `json:"byHand,omitempty"`
}

// BasketHire is from when to when a product is out.
type BasketHire struct {
	From string `json:"from"`
	To   string `json:"to"`
}

// BasketByHand is a reduction given by hand: one of both.
type BasketByHand struct {
	PercentOff string `json:"percentOff,omitempty"`
	AmountOff  string `json:"amountOff,omitempty"`
}

// BasketDetail is what goods cost together, with all that explains it.
type BasketDetail struct {
	Answer bookfile.BasketAnswer `json:"answer"`
	At     string                `json:"at"`
	Goods  []BasketGoods         `json:"goods" doc:"what the lines and nudges name"`
	Rules  []board.RuleMark      `json:"rules" doc:"names of the rules"`
	Doc    ItemDoc               `json:"doc" doc:"the question as docs/book.md writes it, with what is known of the customer"`
	Step   *BasketStep           `json:"step,omitempty" doc:"what the last change of the lines changed"`
	WhyNot
}

// BasketGoods is a product of a basket.
type BasketGoods struct {
	SKU     string         `json:"sku"`
	Name    string         `json:"name"`
	Unit    string         `json:"unit" enum:"each,day,month"`
	Options []BasketOption `json:"options"`
	Cost    bool           `json:"cost" doc:"the cost is known"`
}

// BasketOption is something that can be chosen with a product.
type BasketOption struct {
	Code  string `json:"code"`
	Price string `json:"price" doc:"in the book's currency, as the book writes it"`
}

// BasketStep is what a change of the lines changed.
type BasketStep struct {
	Before string   `json:"before"`
	After  string   `json:"after"`
	By     string   `json:"by" doc:"how much more is paid"`
	Came   []string `json:"came" doc:"rules that apply now and did not"`
	Went   []string `json:"went" doc:"rules that applied and do not any more"`
	More   []string `json:"more" doc:"offers that apply more often"`
	Fewer  []string `json:"fewer" doc:"offers that apply less often"`
}

func (s *Server) registerBasket(api huma.API) {
	answers(api, store.Reader, http.MethodPost, "/api/basket", s.basket, unchecked, upTo(1<<20))
}

// question is what a form asks. Its errors are bookfile.Errors.
func (f *BasketForm) question(lines []BasketFormLine) (basket.Question, error) {
	doc, err := json.Marshal(struct {
		At       string           `json:"at"`
		Lines    []BasketFormLine `json:"lines"`
		Codes    []string         `json:"codes,omitempty"`
		Shipping string           `json:"shipping,omitempty"`
	}{"2000-01-01T00:00", append([]BasketFormLine{}, lines...), f.Codes, f.Shipping})
	if err != nil {
		return basket.Question{}, fmt.Errorf("write the question of a basket: %w", err)
	}
	return bookfile.DecodeBasket(doc)
}

func (s *Server) basket(ctx context.Context, in *BasketQuery) (BasketDetail, error) {
	out := BasketDetail{Goods: []BasketGoods{}, Rules: []board.RuleMark{}, WhyNot: newWhyNot()}
	snap := s.Live.Current()
	q, err := in.Body.question(in.Body.Lines)
	if err != nil {
		return out, err
	}
	if q.Viewpoint, err = in.read(ctx, s, snap); err != nil {
		return out, err
	}
	if err := s.knowBasket(ctx, snap, &q); err != nil {
		return out, err
	}
	q.Explain = true
	a, err := snap.Baskets().Price(q)
	if err != nil {
		return out, err
	}
	if in.Body.Before != nil {
		before, err := in.Body.question(in.Body.Before)
		if err == nil {
			q := q
			q.Lines, q.Explain = before.Lines, false
			if was, err := snap.Baskets().Price(q); err == nil { // else there is nothing to compare with
				out.Step = stepOf(was, a)
			}
		}
	}
	out.Answer, out.At, out.Doc = *bookfile.BasketAnswerOf(a), q.At.String(), bookfile.EncodeBasket(&q)
	for _, m := range a.Missed {
		if err := out.note(snap, q.Viewpoint, m.Rule, m.Reason); err != nil {
			return out, err
		}
	}
	out.name(snap, a, q.At)
	return out, nil
}

// knowBasket puts what is kept beside the book into a question: what the customer bought before, which
// offers the presented codes open, and how often offers were used.
func (s *Server) knowBasket(ctx context.Context, snap *book.Snapshot, q *basket.Question) error {
	known := q.Viewpoint
	if err := s.buyers.KnowAll(ctx, snap, &known); err != nil {
		return err
	}
	q.History = known.History // whether it is a first order was read, or assumed, with the viewpoint
	return codes.Know(ctx, s.uses, snap.Baskets(), q)
}

func stepOf(was, is *basket.Answer) *BasketStep {
	step := basket.StepOf(was, is)
	list := func(codes []string) []string { return append([]string{}, codes...) }
	return &BasketStep{Before: step.Before.Fixed(is.Digits), After: step.After.Fixed(is.Digits),
		By: step.After.Sub(step.Before).Fixed(is.Digits), Came: list(step.Came), Went: list(step.Went), More: list(step.More),
		Fewer: list(step.Fewer)}
}

// name says what the products and rules of an answer are called.
func (d *BasketDetail) name(snap *book.Snapshot, a *basket.Answer, at pricing.Moment) {
	seen := map[string]bool{}
	goods := func(sku string) {
		p, exists := snap.Engine.ProductNumber(sku)
		if !exists || seen[sku] {
			return
		}
		seen[sku] = true
		product := snap.Engine.At(at).Products()[p]
		g := BasketGoods{SKU: sku, Name: product.Name, Unit: product.Unit, Options: []BasketOption{}}
		g.Cost = product.Cost != nil
		for _, o := range product.Options {
			g.Options = append(g.Options, BasketOption{o.Code, bookfile.Amount(o.Price)})
		}
		d.Goods = append(d.Goods, g)
	}
	rules := map[string]bool{}
	for i := range a.Lines {
		goods(a.Lines[i].SKU)
		for _, r := range a.Lines[i].Runs {
			for _, code := range r.Rules {
				rules[code] = true
			}
			for _, day := range r.Days {
				for _, m := range day.Trail.Missed {
					rules[m.Rule] = true
				}
			}
		}
	}
	for _, n := range a.Nudges {
		rules[n.Rule] = true
		for _, x := range n.Add {
			goods(x.SKU)
		}
	}
	if d.Step != nil {
		for _, code := range slices.Concat(d.Step.Came, d.Step.Went) {
			rules[code] = true
		}
	}
	for i := range snap.Book.Rules {
		if r := &snap.Book.Rules[i]; rules[r.Code] || r.Offer != nil {
			d.Rules = append(d.Rules, board.MarkOf(r))
		}
	}
}
