package pricing

import (
	"cmp"
	"maps"
	"slices"
)

// Meet is the window that is open exactly where both are; nil is always open. ok is false where they never are, or no
// one window says it.
func (w *Window) Meet(o *Window) (both *Window, ok bool) {
	if w == nil || o == nil {
		return cmp.Or(w, o), true
	}
	out := Window{From: w.From, To: w.To}
	if o.From != nil && (out.From == nil || *out.From < *o.From) {
		out.From = o.From
	}
	if o.To != nil && (out.To == nil || *o.To < *out.To) {
		out.To = o.To
	}
	if out.From != nil && out.To != nil && *out.From >= *out.To {
		return nil, false
	}
	if out.Weekly, ok = meetEqual(w.Weekly, o.Weekly); !ok {
		return nil, false
	}
	if out.Yearly, ok = meetEqual(w.Yearly, o.Yearly); !ok {
		return nil, false
	}
	if out.Hours, ok = w.meetHours(o); !ok {
		return nil, false
	}
	out.Days, ok = meetLists(w.Days, o.Days)
	return &out, ok
}

// meetHours are the hours of both. The days of hours that pass midnight are those on which they begin, so such hours
// meet nothing but the same, or a window that says nothing of days.
func (w *Window) meetHours(o *Window) (*Hours, bool) {
	night := func(h *Hours) bool { return h != nil && h.From >= h.To }
	switch a, b := w.Hours, o.Hours; {
	case a == nil && b == nil:
		return nil, true
	case a == nil:
		return b, !night(b) || w.Days == nil
	case b == nil:
		return a, !night(a) || o.Days == nil
	case *a == *b:
		return a, true
	case night(a) || night(b):
		return nil, false
	default:
		both := Hours{max(a.From, b.From), min(a.To, b.To)}
		return &both, both.From < both.To
	}
}

// meetEqual is what one of two says, or both alike.
func meetEqual[T comparable](a, b *T) (*T, bool) {
	return cmp.Or(a, b), a == nil || b == nil || *a == *b
}

// meetLists are alternatives that are on both lists; nil does not narrow. ok is false where there are none.
func meetLists[T comparable](a, b []T) (both []T, ok bool) {
	if a == nil || b == nil {
		return append(a, b...), true
	}
	for _, one := range a {
		if slices.Contains(b, one) {
			both = append(both, one)
		}
	}
	return both, both != nil
}

// Meet is the audience of exactly those whom both are for; nil is everyone. ok is false where there is nobody, or no
// one audience says it.
func (a *Audience) Meet(o *Audience) (both *Audience, ok bool) {
	if a == nil || o == nil {
		return cmp.Or(a, o), true
	}
	out := Audience{}
	within := func(x, y *Audience) bool {
		in := func(small, large []string) bool {
			return !slices.ContainsFunc(small, func(s string) bool { return !slices.Contains(large, s) })
		}
		return in(x.Groups, y.Groups) && in(x.Customers, y.Customers)
	}
	names := func(x *Audience) bool { return x.Groups != nil || x.Customers != nil }
	switch {
	case !names(a), names(o) && within(o, a):
		out.Groups, out.Customers = o.Groups, o.Customers
	case !names(o), within(a, o):
		out.Groups, out.Customers = a.Groups, a.Customers
	case a.Groups == nil && o.Groups == nil:
		if out.Customers, ok = meetLists(a.Customers, o.Customers); !ok {
			return nil, false
		}
	default:
		return nil, false // who is in two groups at once cannot be said
	}
	if out.Countries, ok = meetLists(a.Countries, o.Countries); !ok {
		return nil, false
	}
	if out.CustomerAttr = maps.Clone(a.CustomerAttr); out.CustomerAttr == nil {
		out.CustomerAttr = maps.Clone(o.CustomerAttr)
	}
	for key, values := range o.CustomerAttr {
		if out.CustomerAttr[key], ok = meetLists(out.CustomerAttr[key], values); !ok {
			return nil, false
		}
	}
	if out.FirstOrder, ok = meetEqual(a.FirstOrder, o.FirstOrder); !ok {
		return nil, false
	}
	out.SignedIn, ok = meetEqual(a.SignedIn, o.SignedIn)
	return &out, ok
}
