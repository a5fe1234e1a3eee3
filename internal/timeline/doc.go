// Package timeline says what prices and rules do over time: when rules are open and which of them conflict, how one
// product's price goes, what the lowest of it was, and how it looks for others. It knows no HTTP and no database.
package timeline
