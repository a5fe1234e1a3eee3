package bookfile

import (
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
)

// viewpointKeys are the keys of a question that say who asks, where, how many and when.
var viewpointKeys = []string{"at", "channel", "customer", "group", "groups", "country", "quantity", "firstOrder",
	"signedIn", "term", "history", "with"}

func (n *node) priceQuestion() (q pricing.Question) {
	if n.object(append([]string{"sku", "options"}, viewpointKeys...)...) == nil {
		return q
	}
	q.SKU, q.Options = n.need("sku").word(), n.may("options").texts()
	q.Viewpoint = n.viewpoint()
	return q
}

func (n *node) viewpoint() (vp pricing.Viewpoint) {
	if at := n.need("at"); at != nil {
		vp.At, _ = at.moment()
	}
	n.buyer(&vp)
	return vp
}

// buyer reads what a viewpoint says besides its moment.
func (n *node) buyer(vp *pricing.Viewpoint) {
	vp.Channel, vp.Customer, vp.Country = n.may("channel").text(), n.may("customer").text(), n.may("country").text()
	vp.Groups = n.may("groups").texts()
	if g := n.may("group"); g != nil {
		vp.Groups = append(vp.Groups, g.word())
	}
	vp.Quantity, vp.Term = n.may("quantity").whole(1, 1), n.may("term").whole(0, 1)
	vp.FirstOrder, vp.SignedIn = n.may("firstOrder").truth(false), n.may("signedIn").truthPtr()
	for _, h := range n.may("history").items() {
		if h.object("sku", "quantity", "at") == nil {
			continue
		}
		p := pricing.Purchase{SKU: h.need("sku").word(), Quantity: h.may("quantity").whole(1, 1)}
		if at := h.need("at"); at != nil {
			p.At, _ = at.moment()
		}
		vp.History = append(vp.History, p)
	}
	vp.With = n.may("with").texts()
}

func (n *node) flagsQuestion() (q flags.Question) {
	if n.object("from", "to", "channels", "groups", "quantities", "with") == nil {
		return q
	}
	if f := n.need("from"); f != nil {
		q.From, _ = f.moment()
	}
	if t := n.need("to"); t != nil {
		q.To, _ = t.moment()
		if len(n.r.errs) == 0 && q.To <= q.From {
			t.fail("the span ends where or before it starts")
		}
	}
	q.Channels, q.Groups, q.With = n.may("channels").texts(), n.may("groups").texts(), n.may("with").texts()
	for _, item := range n.may("quantities").items() {
		q.Quantities = append(q.Quantities, item.whole(1, 1))
	}
	return q
}
