// Package pricing is the core: what a price is. A Book holds everything that decides prices; Compile makes an Engine of
// it, and an Engine answers what a product costs for a customer, in a channel, at a moment, and why.
//
// The rules of computation are those of docs/book.md. All numbers are exact; rounding happens only where that text
// names it. The package does no I/O, reads no clock and knows no JSON: a Book comes from package bookfile, time comes
// in as a Moment. An Engine never changes once made, so goroutines share it without locks.
package pricing
