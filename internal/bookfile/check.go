package bookfile

import (
	"encoding/json"
	"fmt"
	"reflect"
	"sync"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/pricing/flags"
)

// CheckFile is a book with expected prices.
type CheckFile struct {
	Name, Source string
	book         *pricing.Book
	bookErrs     Errors
	expect, ask  []*node
}

// Difference is one expectation that does not hold.
type Difference struct {
	Path       string // such as expect[2].is.unit
	Want, Have string
}

func (d Difference) String() string {
	return fmt.Sprintf("%s: expected %s, have %s", d.Path, d.Want, d.Have)
}

// ReadCheck reads a file of expected prices. The book in it may be invalid, since that can be what is expected.
func ReadCheck(data []byte) (*CheckFile, error) {
	n, err := parse(data)
	if err != nil {
		return nil, err
	}
	f := &CheckFile{}
	if n.object("name", "source", "book", "expect", "ask") == nil {
		return nil, n.r.errors()
	}
	f.Name, f.Source = n.may("name").text(), n.may("source").text()
	f.expect, f.ask = n.may("expect").items(), n.may("ask").items()
	if b := n.need("book"); b != nil {
		alone := &node{r: &reader{}, index: -1, value: b.value}
		f.book = alone.book()
		f.bookErrs = alone.r.errors()
	}
	return f, n.r.err()
}

// Run compares every expectation with what the book answers. Its error says that the file asks for something that
// cannot be read or answered.
func (f *CheckFile) Run() ([]Difference, error) {
	for _, x := range f.expect {
		if x.has("book") {
			return f.runInvalid(x)
		}
	}
	if len(f.bookErrs) > 0 {
		return nil, f.bookErrs
	}
	engine := pricing.Compile(f.book)
	baskets := sync.OnceValue(func() *basket.Engine { return basket.Compile(engine) })
	var diffs []Difference
	for _, x := range f.expect {
		found, err := runOne(engine, baskets, x)
		if err != nil {
			return diffs, err
		}
		diffs = append(diffs, found...)
	}
	return diffs, nil
}

// Ask answers the questions of the file's ask list that ask for prices: {"price": {...}} or such a question itself,
// each with a PriceAnswer, and {"basket": {...}}, each with a BasketAnswer.
func (f *CheckFile) Ask() ([]any, error) {
	if len(f.bookErrs) > 0 {
		return nil, f.bookErrs
	}
	engine, answers := pricing.Compile(f.book), []any{}
	baskets := basket.Compile(engine)
	for _, x := range f.ask {
		switch {
		case x.has("basket"):
			x.object("basket")
			x = x.child("basket")
			q := x.basketQuestion()
			if err := x.r.err(); err != nil {
				return nil, err
			}
			q.Explain = true
			a, err := baskets.Price(q)
			if err != nil {
				return nil, fmt.Errorf("%s.%w", x.path(), err)
			}
			answers = append(answers, BasketAnswerOf(a))
			continue
		case x.has("flags"):
			continue
		case x.has("price"):
			x.object("price")
			x = x.child("price")
		}
		q := x.priceQuestion()
		if err := x.r.err(); err != nil {
			return nil, err
		}
		a, err := engine.Price(q)
		if err != nil {
			return nil, fmt.Errorf("%s.%w", x.path(), err)
		}
		answers = append(answers, Answer(a))
	}
	return answers, nil
}

// AskFlags answers the flags questions of the file's ask list: {"flags": {...}}.
func (f *CheckFile) AskFlags() ([]FlagAnswer, error) {
	if len(f.bookErrs) > 0 {
		return nil, f.bookErrs
	}
	engine, answers := pricing.Compile(f.book), []FlagAnswer{}
	for _, x := range f.ask {
		if !x.has("flags") {
			continue
		}
		x.object("flags")
		q := x.child("flags").flagsQuestion()
		if err := x.r.err(); err != nil {
			return nil, err
		}
		found, err := flags.Find(engine, q)
		if err != nil {
			return nil, fmt.Errorf("%s.%w", x.path(), err)
		}
		for i := range found {
			answers = append(answers, FlagAnswerOf(&found[i]))
		}
	}
	return answers, nil
}

func (f *CheckFile) runInvalid(x *node) ([]Difference, error) {
	if len(f.expect) != 1 {
		x.fail("stands alone")
		return nil, x.r.err()
	}
	x.object("book", "error")
	x.child("book").oneOf("", "invalid")
	path := ""
	if e := x.need("error"); e != nil {
		path = e.text()
	}
	if err := x.r.err(); err != nil {
		return nil, err
	}
	have := "a valid book"
	for i, e := range f.bookErrs {
		if e.Path == path {
			return nil, nil
		}
		if i == 0 {
			have = "errors at " + e.Path
		} else {
			have += ", " + e.Path
		}
	}
	return []Difference{{x.child("error").path(), path, have}}, nil
}

// Expectation is one expected price (or set of flags) apart from a file, as checks are kept.
type Expectation struct{ node *node }

// ReadExpectation reads one object of a file's expect list. Its errors are Errors with paths that start at it.
func ReadExpectation(data []byte) (*Expectation, error) {
	n, err := parse(data)
	if err != nil {
		return nil, err
	}
	x := &Expectation{n}
	switch {
	case n.has("price"):
		n.object("price", "is")
		n.child("price").priceQuestion()
		n.need("is")
	case n.has("basket"):
		n.object("basket", "is")
		n.child("basket").basketQuestion()
		n.need("is")
	case n.has("flags"):
		n.object("flags", "has", "hasNot")
		n.child("flags").flagsQuestion()
	default:
		n.fail("must have price, basket or flags")
	}
	return x, n.r.err()
}

// OfPrice reports whether it is a price, or what a basket costs, that is expected.
func (x *Expectation) OfPrice() bool { return x.node.has("price") || x.node.has("basket") }

// Run compares the expectation with what an engine answers, baskets with what one made of it does. Its error says why
// there is no answer, such as a product that is no longer there.
func (x *Expectation) Run(engine *pricing.Engine, baskets func() *basket.Engine) ([]Difference, error) {
	n := *x.node
	n.r = &reader{}
	return runOne(engine, baskets, &n)
}

func runOne(engine *pricing.Engine, baskets func() *basket.Engine, x *node) ([]Difference, error) {
	switch {
	case x.has("price"):
		x.object("price", "is")
		q := x.child("price").priceQuestion()
		is := x.need("is")
		if err := x.r.err(); err != nil {
			return nil, err
		}
		answer, err := engine.Price(q)
		if err != nil {
			return nil, fmt.Errorf("%s.%w", x.child("price").path(), err)
		}
		return is.compare(plainJSON(Answer(answer))), nil
	case x.has("flags"):
		x.object("flags", "has", "hasNot")
		q := x.child("flags").flagsQuestion()
		if err := x.r.err(); err != nil {
			return nil, err
		}
		found, err := flags.Find(engine, q)
		if err != nil {
			return nil, fmt.Errorf("%s.%w", x.child("flags").path(), err)
		}
		return compareFlags(x, found), nil
	case x.has("basket"):
		x.object("basket", "is")
		q := x.child("basket").basketQuestion()
		is := x.need("is")
		if err := x.r.err(); err != nil {
			return nil, err
		}
		answer, err := baskets().Price(q)
		if err != nil {
			return nil, fmt.Errorf("%s.%w", x.child("basket").path(), err)
		}
		return is.compare(plainJSON(BasketAnswerOf(answer))), nil
	}
	x.fail("must have one of price, basket, flags and book")
	return nil, x.r.err()
}

// plainJSON is a value as encoding/json would read it back.
func plainJSON(v any) any {
	var out any
	if err := json.Unmarshal(marshal(v), &out); err != nil {
		panic(fmt.Sprintf("bookfile: %v", err))
	}
	return out
}

// compare holds the keys given in an expectation against an answer; lists are compared whole and in order.
func (n *node) compare(have any) []Difference {
	different := []Difference{{n.path(), string(marshal(n.value)), string(marshal(have))}}
	switch want := n.value.(type) {
	case map[string]any:
		members, isObject := have.(map[string]any)
		if !isObject {
			return different
		}
		var diffs []Difference
		for _, c := range n.entries() {
			diffs = append(diffs, c.compare(members[c.key])...)
		}
		return diffs
	case []any:
		items, isList := have.([]any)
		if !isList || len(items) != len(want) {
			return different
		}
		var diffs []Difference
		for i, c := range n.items() {
			diffs = append(diffs, c.compare(items[i])...)
		}
		return diffs
	case json.Number:
		if number, isNumber := have.(float64); isNumber && string(marshal(number)) == string(want) {
			return nil
		}
	case string:
		text, isText := have.(string)
		if isText && (text == want || sameDecimal(text, want)) {
			return nil
		}
	default:
		if reflect.DeepEqual(want, have) {
			return nil
		}
	}
	return different
}

func sameDecimal(a, b string) bool {
	x, err1 := money.Parse(a)
	y, err2 := money.Parse(b)
	return err1 == nil && err2 == nil && x.Equal(y)
}

func compareFlags(x *node, found []flags.Flag) []Difference {
	var diffs []Difference
	all := make([]any, len(found))
	for i := range found {
		all[i] = plainJSON(FlagAnswerOf(&found[i]))
	}
	agrees := func(want *node) bool {
		for _, have := range all {
			if len(want.compare(have)) == 0 {
				return true
			}
		}
		return false
	}
	for _, want := range x.may("has").items() {
		if !agrees(want) {
			diffs = append(diffs, Difference{want.path(), string(marshal(want.value)),
				fmt.Sprintf("no such flag among %d", len(found))})
		}
	}
	for _, want := range x.may("hasNot").items() {
		if agrees(want) {
			diffs = append(diffs, Difference{want.path(), "no flag " + string(marshal(want.value)), "one"})
		}
	}
	return diffs
}
