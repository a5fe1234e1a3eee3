package pieces

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

// Brought is what a publication brings into a published book: changes of pieces by their documents. Of settings each
// key is one. Kept are the groups, customers and channels that they name, as they are now: they are kept for the
// published book should they go from the saved one.
type Brought struct {
	Changes []book.Change `json:"changes"`
	Kept    []book.Change `json:"kept,omitempty"`
	// Held are, of a take-back, the pieces as the saved book has them: nothing brings them until they become others there.
	Held []book.Change `json:"held,omitempty"`
}

// Keys are the pieces that are brought.
func (b *Brought) Keys() []Key {
	keys := make([]Key, len(b.Changes))
	for i, c := range b.Changes {
		keys[i] = Key{c.Kind, c.Code}
	}
	return keys
}

// UnknownPiece says that a name stands for no difference.
type UnknownPiece struct{ Name string }

func (u *UnknownPiece) Error() string {
	return fmt.Sprintf("There is no unpublished change of %q in this channel.", u.Name)
}

// Choose finds differences by their names, their former names included, and adds what comes along.
func Choose(differences []Piece, chosen []Key) ([]Piece, error) {
	at := make(map[Key]int, len(differences))
	for i := range differences {
		p := &differences[i]
		at[p.Key] = i
		if p.Was != "" {
			at[Key{p.Kind, p.Was}] = i
		}
	}
	in := make([]bool, len(differences))
	var add func(k Key, asked bool) error
	add = func(k Key, asked bool) error {
		i, known := at[k]
		if !known {
			if asked {
				return &UnknownPiece{k.String()}
			}
			return nil
		}
		if in[i] {
			return nil
		}
		in[i] = true
		for _, with := range differences[i].With {
			if err := add(with, false); err != nil {
				return err
			}
		}
		return nil
	}
	for _, k := range chosen {
		if err := add(k, true); err != nil {
			return nil, err
		}
	}
	var list []Piece
	for i := range differences {
		if in[i] {
			list = append(list, differences[i])
		}
	}
	return list, nil
}

// Bring makes the documents of some differences between two books.
func Bring(published, saved *pricing.Book, some []Piece) Brought {
	var b Brought
	if len(some) == 0 {
		return b
	}
	from, to := book.NewPieces(published), book.NewPieces(saved)
	was, is := settingsOf(published), settingsOf(saved)
	x := indexOf(saved)
	named := map[Key]bool{}
	for _, p := range some {
		one := func(code string, c book.Change) {
			if !bytes.Equal(c.Before, c.After) {
				c.Kind, c.Code = p.Kind, code
				b.Changes = append(b.Changes, c)
			}
		}
		switch {
		case p.Kind == book.Settings:
			one(p.Code, book.Change{Before: was[p.Code], After: is[p.Code]})
		case p.Was != "":
			one(p.Was, book.Change{Before: from.Doc(p.Kind, p.Was)})
			one(p.Code, book.Change{After: to.Doc(p.Kind, p.Code)})
		default:
			one(p.Code, book.Change{Before: from.Doc(p.Kind, p.Code), After: to.Doc(p.Kind, p.Code)})
		}
		if p.Kind == book.Products {
			continue
		}
		for _, k := range refersTo(x, p.Key).people {
			if doc := to.Doc(k.Kind, k.Code); !named[k] && doc != nil {
				named[k] = true
				b.Kept = append(b.Kept, book.Change{Kind: k.Kind, Code: k.Code, After: doc})
			}
		}
	}
	return b
}

// HeldAlong adds to pieces that are held back those which cannot go without them, whatever else goes.
func HeldAlong(published, saved *pricing.Book, differences []Piece, held map[Key]bool) error {
	for {
		var rest []Piece
		for _, p := range differences {
			if !held[p.Key] {
				rest = append(rest, p)
			}
		}
		if len(rest) == len(differences) || len(rest) == 0 {
			return nil
		}
		brings := Bring(published, saved, rest)
		err := without(published, brings.whole(published))
		var dangling *Dangling
		if !errors.As(err, &dangling) {
			return err
		}
		// Whichever of the two goes by the rest has to wait: what needs something that is held, or what is gone and needed.
		at := slices.IndexFunc(rest, func(p Piece) bool {
			return p.Key == dangling.By || p.Kind == dangling.By.Kind && p.Was == dangling.By.Code
		})
		if at < 0 || rest[at].Change == Gone {
			at = slices.IndexFunc(rest, func(p Piece) bool { return p.Key == dangling.Needed })
		}
		if at < 0 {
			return err
		}
		held[rest[at].Key] = true
	}
}

// Apply is a published book with what a publication brings: a *Dangling where it cannot stand so.
func Apply(published *pricing.Book, b Brought) (*pricing.Book, error) {
	if len(b.Changes) == 0 {
		return published, nil
	}
	changes := b.whole(published)
	if err := without(published, changes); err != nil {
		return nil, err
	}
	next, err := book.Apply(published, changes)
	if err != nil {
		return nil, fmt.Errorf("make the published book: %w", err)
	}
	return next, nil
}

// whole are the changes of a published book that what is brought comes to: with what is kept for it, and the settings
// as one.
func (b *Brought) whole(published *pricing.Book) []book.Change {
	in := book.NewPieces(published)
	var changes []book.Change
	for _, c := range b.Kept {
		if in.Doc(c.Kind, c.Code) == nil {
			changes = append(changes, c)
		}
	}
	settings := settingsOf(published)
	others := false
	for _, c := range b.Changes {
		switch {
		case c.Kind != book.Settings:
			changes = append(changes, c)
		case c.After == nil:
			delete(settings, c.Code)
			others = true
		default:
			settings[c.Code] = c.After
			others = true
		}
	}
	if others {
		doc, err := json.Marshal(settings)
		if err != nil {
			panic(fmt.Sprintf("pieces: %v", err)) // they are JSON
		}
		changes = append(changes, book.Change{Kind: book.Settings, After: doc})
	}
	return changes
}

// without fails with a *Dangling where a book after changes lacks what a piece of it needs.
func without(published *pricing.Book, changes []book.Change) error {
	next := *published
	rules := func(r *pricing.Rule) string { return r.Code }
	if err := edit(&next.Rules, changes, book.Rules, rules, func(doc []byte) (pricing.Rule, error) {
		return bookfile.ReadRule(doc)
	}); err != nil {
		return err
	}
	ranges := func(r *pricing.Range) string { return r.Code }
	if err := edit(&next.Ranges, changes, book.Ranges, ranges, bookfile.ReadRange); err != nil {
		return err
	}
	ladders := func(l *pricing.Ladder) string { return l.Code }
	if err := edit(&next.Ladders, changes, book.Ladders, ladders, bookfile.ReadLadder); err != nil {
		return err
	}
	campaigns := func(c *pricing.Campaign) string { return c.Code }
	if err := edit(&next.Campaigns, changes, book.Campaigns, campaigns, bookfile.ReadCampaign); err != nil {
		return err
	}
	channels := func(c *pricing.Channel) string { return c.Code }
	if err := edit(&next.Channels, changes, book.Channels, channels, bookfile.ReadChannel); err != nil {
		return err
	}
	rated := false
	for _, c := range changes {
		if c.Kind == book.Settings {
			s, err := bookfile.ReadSettings(c.After)
			if err != nil {
				return err
			}
			next.Settings, rated = s, true
		}
	}
	products := slices.ContainsFunc(changes, func(c book.Change) bool { return c.Kind == book.Products })
	switch {
	case products:
		products := func(p **pricing.Product) string { return (*p).SKU }
		read := func(doc []byte) (*pricing.Product, error) {
			p, err := bookfile.ReadProduct(doc)
			return &p, err
		}
		if err := edit(&next.Products, changes, book.Products, products, read); err != nil {
			return err
		}
	case !rated:
		next.Products = nil // no tax class lost its rate
	}
	return stands(&next)
}

// edit makes changes of a kind to a list.
func edit[T any](list *[]T, changes []book.Change, kind string, code func(*T) string,
	read func(doc []byte) (T, error)) error {
	if !slices.ContainsFunc(changes, func(c book.Change) bool { return c.Kind == kind }) {
		return nil
	}
	next := slices.Clone(*list)
	at := make(map[string]int, len(next))
	for i := range next {
		at[code(&next[i])] = i
	}
	gone := map[string]bool{}
	for _, c := range changes {
		if c.Kind != kind {
			continue
		}
		if c.After == nil {
			gone[c.Code] = true
			continue
		}
		item, err := read(c.After)
		if err != nil {
			return fmt.Errorf("read %s %q: %w", kind, c.Code, err)
		}
		if i, known := at[c.Code]; known {
			next[i] = item
		} else {
			at[c.Code] = len(next)
			next = append(next, item)
		}
	}
	if len(gone) > 0 {
		next = slices.DeleteFunc(next, func(item T) bool { return gone[code(&item)] })
	}
	*list = next
	return nil
}
