package pieces

import (
	"maps"
	"reflect"
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// SameProduct reports whether two products are the same piece: whether they differ in nothing but what is in force once
// it is saved (stock, units sold, rating).
func SameProduct(a, b *pricing.Product) bool {
	return a == b || a.SKU == b.SKU && a.Name == b.Name && a.Style == b.Style && a.Category == b.Category &&
		a.Brand == b.Brand && a.Supplier == b.Supplier && a.Type == b.Type && a.GTIN == b.GTIN && a.TaxClass == b.TaxClass &&
		a.MinOrder == b.MinOrder && a.Unit == b.Unit && sameAmount(a.List, b.List) && sameAmount(a.Cost, b.Cost) &&
		sameAmount(a.RRP, b.RRP) && sameAmount(a.MAP, b.MAP) && sameAmounts(a.Costs, b.Costs) &&
		sameAmounts(a.Levels, b.Levels) && sameAmounts(a.ListIn, b.ListIn) && slices.Equal(a.Tags, b.Tags) &&
		sameMap(a.Attrs, b.Attrs, func(x, y pricing.Attr) bool {
			return x.Text == y.Text && x.Quoted == y.Quoted && sameAmount(x.Number, y.Number)
		}) && (a.Content == b.Content || reflect.DeepEqual(a.Content, b.Content)) &&
		(a.Hire == b.Hire || reflect.DeepEqual(a.Hire, b.Hire)) && sameOptions(a.Options, b.Options) &&
		a.OnRequest == b.OnRequest && slices.EqualFunc(a.Later, b.Later, sameFigures)
}

func sameFigures(a, b pricing.Figures) bool {
	return a.From == b.From && sameAmount(a.List, b.List) && sameAmount(a.Cost, b.Cost) && sameAmount(a.RRP, b.RRP) &&
		sameAmount(a.MAP, b.MAP) && sameAmounts(a.Costs, b.Costs) && sameAmounts(a.Levels, b.Levels) &&
		sameAmounts(a.ListIn, b.ListIn)
}

func sameAmount(a, b *money.Rat) bool {
	return a == b || a != nil && b != nil && a.Equal(*b)
}

func sameOptions(a, b []pricing.Option) bool {
	return slices.EqualFunc(a, b, func(x, y pricing.Option) bool {
		return x.Code == y.Code && x.Part == y.Part && x.Price.Equal(y.Price)
	})
}

func sameAmounts(a, b map[string]money.Rat) bool {
	return sameMap(a, b, func(x, y money.Rat) bool { return x.Equal(y) })
}

func sameMap[V any](a, b map[string]V, same func(x, y V) bool) bool {
	return reflect.ValueOf(a).Pointer() == reflect.ValueOf(b).Pointer() || maps.EqualFunc(a, b, same)
}

// sameLive reports whether what is in force once it is saved is the same of two products.
func sameLive(a, b *pricing.Product) bool {
	return sameAmount(a.Stock, b.Stock) && sameAmount(a.Sold, b.Sold) && sameAmount(a.Rating, b.Rating)
}
