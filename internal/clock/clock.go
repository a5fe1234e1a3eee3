// Package clock tells two presents apart. The machine's is for what people and programs do: sessions, patience, when a
// thing was last seen. The book's is for prices and for what is recorded of them: with the demo it starts at the demo's
// own present, so that its pictures repeat, and goes on from there.
package clock

import (
	"sync/atomic"
	"time"
)

// Clock is a present.
type Clock func() time.Time

// Clocks are the two.
type Clocks struct{ Book, Machine Clock }

// Book is a book's present: the machine's, until it is set to another.
type Book struct {
	machine Clock
	set     atomic.Pointer[anchor]
}

// anchor says which present of the book a present of the machine was.
type anchor struct{ book, machine time.Time }

// NewBook is the present of a book that was not set to another.
func NewBook(machine Clock) *Book { return &Book{machine: machine} }

// Set makes an instant the present, from which it goes on.
func (b *Book) Set(to time.Time) { b.set.Store(&anchor{to, b.machine()}) }

// Follow makes the machine's present the book's again.
func (b *Book) Follow() { b.set.Store(nil) }

// IsSet reports whether the present is another than the machine's.
func (b *Book) IsSet() bool { return b.set.Load() != nil }

// Now is the present.
func (b *Book) Now() time.Time {
	now := b.machine()
	if a := b.set.Load(); a != nil {
		return a.book.Add(now.Sub(a.machine))
	}
	return now
}
