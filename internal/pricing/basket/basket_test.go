package basket_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
)

func shop(offer *pricing.Offer) *basket.Engine {
	all := pricing.Where{Field: pricing.FieldAll, Parts: []pricing.Where{}}
	list := money.MustParse("9.00")
	book := &pricing.Book{Settings: pricing.Settings{Currency: "EUR", TimeZone: "UTC", Layers: pricing.DefaultLayers()},
		Products: []*pricing.Product{{SKU: "A", List: &list, Unit: "each"}, {SKU: "W", List: &list, Unit: "day"}},
		Rules: []pricing.Rule{{Code: "OFFER", Layer: pricing.Promotion, Rank: 1, Status: pricing.On, Where: all,
			MinQuantity: 1, HireMatch: "days",
			Counting: pricing.DefaultCounting(), Offer: offer}}}
	return basket.Compile(pricing.Compile(book))
}

// The largest basket is answered, also where the offer is tried as often as it fits and gains nothing.
func TestTheLargestBasket(t *testing.T) {
	t.Parallel()
	all := pricing.Where{Field: pricing.FieldAll, Parts: []pricing.Where{}}
	need := []pricing.Need{{ID: "a", Where: all, Quantity: 2}}
	half, dear := money.MustParse("50"), money.MustParse("10.00")
	for name, c := range map[string]struct {
		give  pricing.Give
		total string
	}{
		"every second at half price": {pricing.Give{To: "a", Units: 1, PercentOff: &half}, "675000"},
		"a price that none is above": {pricing.Give{To: "a", Each: &dear}, "900000"},
		"a pair for more than it is": {pricing.Give{To: "needs", ForTotal: new(money.MustParse("18.00"))}, "900000"},
		"two and another one free":   {pricing.Give{Where: &all, PercentOff: new(money.MustParse("100"))}, "600003"},
	} {
		a, err := shop(&pricing.Offer{Needs: need, Gives: []pricing.Give{c.give}}).Price(
			basket.Question{Lines: []pricing.Line{{SKU: "A", Quantity: basket.MaxUnits}}})
		require.NoError(t, err)
		require.Equal(t, c.total, a.Total.String(), name)
	}
}

// What cannot be answered names its place; what is only wrong is a problem beside the price.
func TestQuestionsThatCannotBeAnswered(t *testing.T) {
	t.Parallel()
	e := shop(&pricing.Offer{Gives: []pricing.Give{{To: "basket", PercentOff: new(money.Int(0))}}})
	hire := func(days int) *pricing.Hire { return &pricing.Hire{From: 0, To: pricing.Moment(days) * pricing.Day} }
	for path, lines := range map[string][]pricing.Line{
		"lines[0].quantity": {{SKU: "A"}},
		"lines[1].quantity": {{SKU: "A", Quantity: 1}, {SKU: "A", Quantity: basket.MaxUnits + 1}},
		"lines":             {{SKU: "A", Quantity: basket.MaxUnits}, {SKU: "A", Quantity: 1}},
		"lines[0].hire.to":  {{SKU: "W", Quantity: 1, Hire: hire(-1)}},
		"lines[1].hire.to":  {{SKU: "A", Quantity: 1}, {SKU: "W", Quantity: 1, Hire: hire(pricing.MaxHireDays + 1)}},
	} {
		_, err := e.Price(basket.Question{Lines: lines})
		var problem *pricing.QuestionError
		require.ErrorAs(t, err, &problem, path)
		require.Equal(t, path, problem.Path)
	}
	_, err := e.Price(basket.Question{Lines: make([]pricing.Line, basket.MaxLines+1)})
	require.Error(t, err)
	a, err := e.Price(basket.Question{Codes: []string{"clayday"},
		Lines: []pricing.Line{{SKU: "A", Quantity: 1, Hire: hire(1)}, {SKU: "A & <B>", Quantity: 1},
			{SKU: "A", Quantity: 1, Options: []string{"zz"}}}})
	require.NoError(t, err)
	var paths []string
	for _, p := range a.Problems {
		paths = append(paths, p.Path)
	}
	require.Equal(t, []string{"lines[0].hire", "lines[1].sku", "lines[2].options[0]", "codes[0]"}, paths)
	require.Equal(t, "9", a.Total.String(), "what has a price is priced")
}
