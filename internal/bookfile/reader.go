// Package bookfile reads and writes the JSON documents of docs/book.md: books, and the questions and expectations that
// are asked of them. Reading reports every error of a document, each with its path, the value and what would be valid.
// What a price is belongs to package pricing.
package bookfile

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"dogbane/internal/money"
)

// Error is one error of a document.
type Error struct {
	Path    string `json:"path"`            // such as rules[3].window.to
	Value   string `json:"value,omitempty"` // the offending value as JSON, shortened
	Problem string `json:"problem"`         // what is wrong and what would be valid
}

func (e Error) Error() string {
	text := e.Problem
	if e.Path != "" { // "": the whole document
		text = e.Path + ": " + text
	}
	if e.Value != "" {
		text += " (found " + e.Value + ")"
	}
	return text
}

// Errors are all errors of a document, in the order in which they were found.
type Errors []Error

func (e Errors) Error() string {
	lines := make([]string, len(e))
	for i := range e {
		lines[i] = e[i].Error()
	}
	return strings.Join(lines, "\n")
}

// reader collects the errors of one document.
type reader struct{ errs Errors }

// errors are those collected, in the order in which they were found, each once; nil where there is none.
func (r *reader) errors() Errors {
	seen := map[string]bool{}
	var list Errors
	for _, e := range r.errs {
		if key := e.Path + "\x00" + e.Problem; !seen[key] {
			seen[key] = true
			list = append(list, e)
		}
	}
	return list
}

// err is errors as an error value.
func (r *reader) err() error {
	if list := r.errors(); list != nil {
		return list
	}
	return nil
}

// node is a value in the document with the way to it.
type node struct {
	r      *reader
	parent *node
	key    string
	index  int // in a list; -1 for a key of an object
	value  any
}

// parse reads one JSON value and nothing behind it.
func parse(data []byte) (*node, error) {
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.UseNumber()
	var v any
	if err := dec.Decode(&v); err != nil {
		var syntax *json.SyntaxError
		if errors.As(err, &syntax) {
			line := 1 + bytes.Count(data[:min(int(syntax.Offset), len(data))], []byte("\n"))
			return nil, Errors{{Problem: fmt.Sprintf("not JSON, line %d: %v", line, err)}}
		}
		return nil, Errors{{Problem: fmt.Sprintf("not JSON: %v", err)}}
	}
	if _, err := dec.Token(); err != io.EOF {
		return nil, Errors{{Problem: "not JSON: there is more behind the document's end"}}
	}
	return &node{r: &reader{}, index: -1, value: v}, nil
}

func (n *node) path() string {
	if n.parent == nil {
		return n.key
	}
	before := n.parent.path()
	if n.index >= 0 {
		return before + "[" + strconv.Itoa(n.index) + "]"
	}
	if before == "" {
		return n.key
	}
	return before + "." + n.key
}

func (n *node) fail(format string, args ...any) {
	text := ""
	if n.value != nil {
		raw, _ := json.Marshal(n.value)
		text = string(raw)
		if r := []rune(text); len(r) > 60 {
			text = string(r[:57]) + "..."
		}
	}
	n.r.errs = append(n.r.errs, Error{Path: n.path(), Value: text, Problem: fmt.Sprintf(format, args...)})
}

// missing reports a key that is not there.
func (n *node) missing(key string) {
	(&node{r: n.r, parent: n, key: key, index: -1}).fail("is missing")
}

// object is the value as an object whose keys are among those known; nil where it is none.
func (n *node) object(known ...string) map[string]any {
	m, ok := n.value.(map[string]any)
	if !ok {
		n.fail("must be an object")
		return nil
	}
	var strange []string
	for key := range m {
		if !slices.Contains(known, key) {
			strange = append(strange, key)
		}
	}
	slices.Sort(strange)
	for _, key := range strange {
		n.child(key).fail("is not a known key here; known are %s", strings.Join(known, ", "))
	}
	return m
}

// shaped is the value as an object of a shape of the schema; nil where it is none.
func (n *node) shaped(shape string) map[string]any { return n.object(keysOf(shape)...) }

// child is the value at a key of an object; its value is nil where the key is missing.
func (n *node) child(key string) *node {
	m, _ := n.value.(map[string]any)
	return &node{r: n.r, parent: n, key: key, index: -1, value: m[key]}
}

// has reports whether the object has the key.
func (n *node) has(key string) bool {
	if n == nil {
		return false
	}
	m, _ := n.value.(map[string]any)
	_, found := m[key]
	return found
}

// need is the child at a key that must be there, or nil.
func (n *node) need(key string) *node {
	if !n.has(key) {
		n.missing(key)
		return nil
	}
	return n.child(key)
}

// may is the child at a key that may be absent, or nil.
func (n *node) may(key string) *node {
	if !n.has(key) {
		return nil
	}
	return n.child(key)
}

// items are the elements of a list; a nil node has none.
func (n *node) items() []*node {
	if n == nil {
		return nil
	}
	list, ok := n.value.([]any)
	if !ok {
		n.fail("must be a list")
		return nil
	}
	nodes := make([]*node, len(list))
	for i, v := range list {
		nodes[i] = &node{r: n.r, parent: n, index: i, value: v}
	}
	return nodes
}

// oneOrMore are the items of a list, or an object that stands for a list of itself.
func (n *node) oneOrMore() []*node {
	if n != nil {
		if _, one := n.value.(map[string]any); one {
			return []*node{n}
		}
	}
	return n.items()
}

// entries are the members of an object by key order; a nil node has none.
func (n *node) entries() []*node {
	if n == nil {
		return nil
	}
	m, ok := n.value.(map[string]any)
	if !ok {
		n.fail("must be an object")
		return nil
	}
	keys := make([]string, 0, len(m))
	for key := range m {
		keys = append(keys, key)
	}
	slices.Sort(keys)
	nodes := make([]*node, len(keys))
	for i, key := range keys {
		nodes[i] = n.child(key)
	}
	return nodes
}

// The readers of single values report what is wrong and return a zero value; a nil node gives a zero value silently.

func (n *node) text() string {
	if n == nil {
		return ""
	}
	return n.textUpTo(longestText)
}

// The most characters of texts.
const (
	longestCode, longestName, longestText = 100, 200, 2000
)

func (n *node) textUpTo(most int) string {
	s, ok := n.value.(string)
	if !ok {
		n.fail("must be a text")
	} else if len(s) > most && utf8.RuneCountInString(s) > most {
		n.fail("must have at most %d characters", most)
	}
	return s
}

// name is what people read of an item.
func (n *node) name() string {
	if n == nil {
		return ""
	}
	return n.textUpTo(longestName)
}

var codePattern = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9._-]{0,99}$`)

// code is what a rule, group, customer, range, ladder, campaign or channel is known by.
func (n *node) code() string {
	s := n.word()
	if n != nil && s != "" && !codePattern.MatchString(s) {
		n.fail("must be 1 to 100 letters, digits, \".\", \"_\" or \"-\", beginning with a letter or digit")
	}
	return s
}

// sku is what a product is known by.
func (n *node) sku() string {
	s := n.word()
	if n == nil || s == "" {
		return s
	}
	if utf8.RuneCountInString(s) > longestCode || strings.ContainsFunc(s, unicode.IsControl) || strings.TrimSpace(s) != s {
		n.fail("must be 1 to 100 characters, without control characters and without blanks at its ends")
	}
	return s
}

// word is a text that must not be empty.
func (n *node) word() string {
	s := n.text()
	if n != nil && s == "" {
		if _, isText := n.value.(string); isText {
			n.fail("must not be empty")
		}
	}
	return s
}

func (n *node) oneOf(fallback string, valid ...string) string {
	if n == nil {
		return fallback
	}
	s, ok := n.value.(string)
	if !ok || !slices.Contains(valid, s) {
		n.fail("must be one of %q", valid)
		return fallback
	}
	return s
}

func (n *node) truth(fallback bool) bool {
	if n == nil {
		return fallback
	}
	b, ok := n.value.(bool)
	if !ok {
		n.fail("must be true or false")
	}
	return b
}

func (n *node) truthPtr() *bool {
	if n == nil {
		return nil
	}
	b := n.truth(false)
	return &b
}

// whole is a whole number written as a number, at least min.
func (n *node) whole(fallback, min int) int {
	if n == nil {
		return fallback
	}
	num, ok := n.value.(json.Number)
	i, err := strconv.Atoi(string(num))
	if !ok || err != nil || i > 1_000_000_000 {
		n.fail("must be a whole number")
		return fallback
	}
	if i < min {
		n.fail("must be at least %d", min)
		return fallback
	}
	return i
}

func (n *node) wholePtr(min int) *int {
	if n == nil {
		return nil
	}
	i := n.whole(min, min)
	return &i
}

// decimal is a decimal written as a text; ok is false where it is none.
func (n *node) decimal() (money.Rat, bool) {
	s, isText := n.value.(string)
	if !isText {
		n.fail("must be a decimal number written as a text, such as \"19.99\"")
		return money.Rat{}, false
	}
	d, err := money.Parse(s)
	if err != nil {
		n.fail("must be a decimal number such as \"19.99\"")
		return money.Rat{}, false
	}
	if d.Cmp(beyondAmounts) >= 0 || d.Neg().Cmp(beyondAmounts) >= 0 {
		n.fail("must have at most 15 digits before the point")
		return money.Rat{}, false
	}
	return d, true
}

// beyondAmounts is the least number with 16 digits before the point.
var beyondAmounts = money.Int(1_000_000_000_000_000)

// amount is a decimal that is not negative.
func (n *node) amount() money.Rat {
	if n == nil {
		return money.Rat{}
	}
	d, ok := n.decimal()
	if ok && d.Sign() < 0 {
		n.fail("must not be negative")
	}
	return d
}

func (n *node) amountPtr() *money.Rat {
	if n == nil {
		return nil
	}
	a := n.amount()
	return &a
}

// percent is a decimal from 0 to 100.
func (n *node) percent() money.Rat {
	if n == nil {
		return money.Rat{}
	}
	d, ok := n.decimal()
	if ok && (d.Sign() < 0 || money.Int(100).Less(d)) {
		n.fail("must be a percent from 0 to 100")
	}
	return d
}

func (n *node) percentPtr() *money.Rat {
	if n == nil {
		return nil
	}
	p := n.percent()
	return &p
}

// marginPercent is a decimal below 100.
func (n *node) marginPercent() money.Rat {
	if n == nil {
		return money.Rat{}
	}
	d, ok := n.decimal()
	if ok && !d.Less(money.Int(100)) {
		n.fail("a margin must be below 100 percent")
	}
	return d
}

// texts is a list of texts; nil where the key is absent.
func (n *node) texts() []string {
	if n == nil {
		return nil
	}
	list := []string{}
	for _, item := range n.items() {
		list = append(list, item.word())
	}
	return list
}

// alternatives is a text or a list of texts.
func (n *node) alternatives() []string {
	if _, single := n.value.(string); single {
		return []string{n.word()}
	}
	if _, list := n.value.([]any); !list {
		n.fail("must be a text or a list of texts")
		return nil
	}
	return n.texts()
}

// checkKey reports a name of one's own, such as an attribute's, that is too long.
func (n *node) checkKey() {
	if utf8.RuneCountInString(n.key) > longestName {
		n.fail("its name must have at most %d characters", longestName)
	}
}

// amounts is an object of amounts by name.
func (n *node) amounts() map[string]money.Rat {
	var m map[string]money.Rat
	for _, e := range n.entries() {
		if m == nil {
			m = map[string]money.Rat{}
		}
		e.checkKey()
		m[e.key] = e.amount()
	}
	return m
}
