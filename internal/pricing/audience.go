package pricing

import (
	"iter"
	"slices"
	"strings"
)

// Audience says for whom a rule is. Groups and customers are alternatives to each other; everything else narrows. A nil
// list does not narrow.
type Audience struct {
	Groups, Customers, Countries []string
	CustomerAttr                 map[string][]string
	FirstOrder, SignedIn         *bool
}

// Viewpoint is who asks, where, how many and when.
type Viewpoint struct {
	At         Moment
	Channel    string // empty: no channel
	Customer   string
	Groups     []string
	Country    string // empty: the channel's
	Quantity   int    // 0 counts as 1
	FirstOrder bool
	SignedIn   *bool // nil: whether a customer is named
	Term       int   // months; 0 counts as 1
	History    []Purchase
	With       []string // codes of rules and campaigns that count as on
	// Attrs are taken to be the customer's, whoever that is, before those that the book knows.
	Attrs map[string]string
}

// Guest is the viewpoint of somebody unknown at the same place and time. What is assumed of anybody stays assumed; what
// goes with a customer does not.
func (vp Viewpoint) Guest() Viewpoint {
	if vp.Customer != "" {
		vp.FirstOrder, vp.SignedIn, vp.History, vp.Attrs = false, nil, nil, nil
	}
	vp.Customer, vp.Groups = "", nil
	return vp
}

// Purchase is an earlier purchase of the customer.
type Purchase struct {
	SKU      string
	Quantity int
	At       Moment
}

// visitor is a viewpoint's customer with everything that an audience looks at.
type visitor struct {
	customer   *Customer
	groups     []string
	country    string
	attrs      map[string]string // assumed, before the customer's own
	firstOrder bool
	signedIn   bool
}

// visitorOf is who asks from a viewpoint. Its error is a *QuestionError.
func (e *Engine) visitorOf(vp Viewpoint) (visitor, error) {
	v := visitor{groups: slices.Clone(vp.Groups), country: vp.Country, attrs: vp.Attrs, firstOrder: vp.FirstOrder,
		signedIn: vp.Customer != ""}
	for _, g := range vp.Groups {
		if !e.groups[g] {
			return v, unknown("group", "group", g)
		}
	}
	if vp.SignedIn != nil {
		v.signedIn = *vp.SignedIn
	}
	if vp.Customer != "" {
		c := e.people[vp.Customer]
		if c == nil {
			return v, unknown("customer", "customer", vp.Customer)
		}
		v.customer = c
		v.groups = append(v.groups, c.Groups...)
	}
	if vp.Channel != "" {
		c := e.channels[vp.Channel]
		if c == nil {
			return v, unknown("channel", "channel", vp.Channel)
		}
		if c.Group != "" {
			v.groups = append(v.groups, c.Group)
		}
		if v.country == "" {
			v.country = c.Country
		}
	}
	return v, nil
}

func (v *visitor) attr(name string) (string, bool) {
	if value, assumed := v.attrs[name]; assumed {
		return value, true
	}
	if v.customer == nil {
		return "", false
	}
	value, known := v.customer.Attrs[name]
	return value, known
}

// Condition is one of the conditions of an audience.
type Condition string

// The conditions of audiences.
const (
	ByWho        Condition = "who" // groups and customers, which are alternatives
	ByCountry    Condition = "country"
	ByAttr       Condition = "attr" // of the customer
	ByFirstOrder Condition = "first-order"
	BySignedIn   Condition = "signed-in"
)

// Unmet is a condition of an audience that somebody does not meet.
type Unmet struct {
	Condition Condition
	Attr      string // with ByAttr, its name
}

func (a *Audience) admits(v *visitor) bool {
	for range a.unmet(v) {
		return false
	}
	return true
}

// unmet are the conditions that a visitor does not meet.
func (a *Audience) unmet(v *visitor) iter.Seq[Unmet] {
	return func(yield func(Unmet) bool) {
		if a == nil {
			return
		}
		if a.Groups != nil || a.Customers != nil {
			named := v.customer != nil && slices.Contains(a.Customers, v.customer.Code)
			if !named && !slices.ContainsFunc(v.groups, func(g string) bool { return slices.Contains(a.Groups, g) }) &&
				!yield(Unmet{Condition: ByWho}) {
				return
			}
		}
		if a.Countries != nil && !slices.Contains(a.Countries, v.country) && !yield(Unmet{Condition: ByCountry}) {
			return
		}
		if a.FirstOrder != nil && *a.FirstOrder != v.firstOrder && !yield(Unmet{Condition: ByFirstOrder}) {
			return
		}
		if a.SignedIn != nil && *a.SignedIn != v.signedIn && !yield(Unmet{Condition: BySignedIn}) {
			return
		}
		for name, values := range a.CustomerAttr {
			if value, known := v.attr(name); (!known || !slices.Contains(values, value)) && !yield(Unmet{ByAttr, name}) {
				return
			}
		}
	}
}

// Unmet are the conditions of an audience that a viewpoint does not meet. Its error is a *QuestionError.
func (e *Engine) Unmet(vp Viewpoint, a *Audience) ([]Unmet, error) {
	v, err := e.visitorOf(vp)
	if err != nil {
		return nil, err
	}
	return slices.SortedStableFunc(a.unmet(&v), func(x, y Unmet) int { return strings.Compare(x.Attr, y.Attr) }), nil
}
