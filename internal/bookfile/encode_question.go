package bookfile

import (
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
)

// EncodeBasket writes a basket question as docs/book.md does. What is assumed of a customer's attributes, and words
// kept beside the book, have no place in it.
func EncodeBasket(q *basket.Question) []byte {
	o := newObject().text("at", q.At.String()).text("channel", q.Channel).text("customer", q.Customer).
		texts("groups", q.Groups).
		text("country", q.Country).truth("firstOrder", q.FirstOrder).truthPtr("signedIn", q.SignedIn).
		texts("with", q.With)
	list(o, "lines", q.Lines, encodeLine)
	o.texts("codes", q.Codes).plain("shipping", q.Shipping)
	list(o, "history", q.History, func(h *pricing.Purchase) []byte {
		return newObject().text("sku", h.SKU).whole("quantity", h.Quantity, 1).text("at", h.At.String()).done()
	})
	if len(q.Used) > 0 {
		used := newObject()
		for _, rule := range sortedKeys(q.Used) {
			u := q.Used[rule]
			one := encodeUses(u.Uses)
			if len(u.Codes) > 0 {
				codes := newObject()
				for _, word := range sortedKeys(u.Codes) {
					codes.raw(word, encodeUses(u.Codes[word]).done())
				}
				one.raw("codes", codes.done())
			}
			used.raw(rule, one.done())
		}
		o.raw("used", used.done())
	}
	return o.done()
}

func encodeUses(u basket.Uses) *object {
	return newObject().whole("total", u.Total, 0).whole("customer", u.Customer, 0)
}

func encodeLine(l *pricing.Line) []byte {
	o := newObject().text("sku", l.SKU).
		whole("quantity", l.Quantity, 1).
		texts("options", l.Options).
		whole("term", l.Term, 0)
	if l.Hire != nil {
		o.raw("hire", newObject().text("from", l.Hire.From.String()).text("to", l.Hire.To.String()).done())
	}
	if l.ByHand != nil {
		o.raw("byHand", newObject().plain("percentOff", l.ByHand.PercentOff).plain("amountOff", l.ByHand.AmountOff).done())
	}
	return o.done()
}
