// Package format turns lines of prices into the bytes that channels read, and the bytes that they answer into answers.
// How bytes travel belongs to package transport.
package format

// Line is one product's price as a channel is told it: amounts with the currency's decimals; with Remove the product is
// no longer sold there.
type Line struct {
	SKU       string `json:"sku"`
	Name      string `json:"name,omitempty"`
	Price     string `json:"price,omitempty"`
	Reference string `json:"reference,omitempty"`
	Currency  string `json:"currency"`
	Tags      *Tags  `json:"tags,omitempty"`
	Remove    bool   `json:"remove,omitempty"`
}

// Tags are put on a product, and taken off it, while its price stands.
type Tags struct {
	Add    []string `json:"add,omitempty"`
	Remove []string `json:"remove,omitempty"`
}

// Answer is what a channel says to one line.
type Answer struct {
	Taken   bool
	Message string
}
