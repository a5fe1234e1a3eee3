// Package impact is what would change: prices and checks before and after an edit, whatever it is an edit of. A rule
// that is being written is looked at closely (its movers, an example, what channels demand of the prices that it makes,
// the nearest values that would keep to that); every other edit by the channels. What a price is belongs to package
// pricing.
package impact
