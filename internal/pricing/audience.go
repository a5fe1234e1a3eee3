package pricing

import "slices"

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
}

// Guest is the viewpoint of somebody unknown at the same place and time.
func (vp Viewpoint) Guest() Viewpoint {
	vp.Customer, vp.Groups, vp.FirstOrder, vp.SignedIn, vp.History = "", nil, false, nil, nil
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
	firstOrder bool
	signedIn   bool
}

func (a *Audience) admits(v *visitor) bool {
	if a == nil {
		return true
	}
	if a.Groups != nil || a.Customers != nil {
		named := v.customer != nil && slices.Contains(a.Customers, v.customer.Code)
		if !named && !slices.ContainsFunc(v.groups, func(g string) bool { return slices.Contains(a.Groups, g) }) {
			return false
		}
	}
	if a.Countries != nil && !slices.Contains(a.Countries, v.country) {
		return false
	}
	for name, values := range a.CustomerAttr {
		if v.customer == nil {
			return false
		}
		value, known := v.customer.Attrs[name]
		if !known || !slices.Contains(values, value) {
			return false
		}
	}
	return (a.FirstOrder == nil || *a.FirstOrder == v.firstOrder) && (a.SignedIn == nil || *a.SignedIn == v.signedIn)
}
