package pricing

import "dogbane/internal/money"

// EffectKind names what an effect does with its basis.
type EffectKind string

// The effects of price rules.
const (
	PercentOff EffectKind = "percentOff"
	PercentOn  EffectKind = "percentOn"
	AmountOff  EffectKind = "amountOff"
	AmountOn   EffectKind = "amountOn"
	SetPrice   EffectKind = "setPrice"
	ToLevel    EffectKind = "level"
	Markup     EffectKind = "markup"
	ToMargin   EffectKind = "margin"
	ToDerived  EffectKind = "derive"
)

// Effect turns the price entering a rule into another.
type Effect struct {
	Kind   EffectKind
	Value  money.Rat // percent or amount, where the kind has one
	Level  string    // ToLevel
	Derive *Derive   // ToDerived
}

// raises reports whether the effect raises a price by nature.
func (e *Effect) raises() bool { return e.Kind == PercentOn || e.Kind == AmountOn }

// relative reports whether the effect changes a basis instead of setting a price of its own.
func (e *Effect) relative() bool {
	switch e.Kind {
	case PercentOff, PercentOn, AmountOff, AmountOn:
		return true
	}
	return false
}

// percentFactor is what the effect multiplies by, where it is a percent effect.
func (e *Effect) percentFactor() (money.Rat, bool) {
	switch e.Kind {
	case PercentOff:
		return money.Int(1).Sub(money.PercentOf(e.Value)).Reduce(), true
	case PercentOn:
		return money.Int(1).Add(money.PercentOf(e.Value)).Reduce(), true
	}
	return money.Rat{}, false
}

// Basis names the value that a relative effect starts from; empty is the price entering the rule.
type Basis string

// The bases that need no further word; "cost:NAME" and "level:NAME" name a further cost and a level.
const (
	OfEntering Basis = ""
	OfList     Basis = "list"
	OfCost     Basis = "cost"
	OfRRP      Basis = "rrp"
	OfCatalog  Basis = "catalog"
)

// Basket is the source of a derived price that stands for all goods of the basket.
const Basket = "basket"

// Derive takes a price from another product's, or from the basket.
type Derive struct {
	From     string // a SKU, or Basket
	Basis    string // "list", "net" or "subtotal"
	Percent  money.Rat
	Min, Max *money.Rat
	Counts   string // "basket", "owned" or "both"
}

// MaxOff limits a reduction: a percent of the price entering, or an amount.
type MaxOff struct{ Percent, Amount *money.Rat }

// Floor lifts a result, never above the price entering: to an amount, a margin in percent, the cost, or a level of the
// product. With the fee, margin and cost are what is left in the channel.
type Floor struct {
	Amount, Margin *money.Rat
	Cost           bool
	Level          string
	WithFee        bool // beside Margin or Cost
}

// Direction of an ending.
type Direction string

// The directions of an ending; nearest takes a tie upwards.
const (
	Nearest Direction = "nearest"
	UpTo    Direction = "up"
	DownTo  Direction = "down"
)

// Ending gives a price its last digits: round to a multiple of Step in the direction, then add Shift. Both stand as
// they are in every currency.
type Ending struct {
	Step      money.Rat // above 0
	Direction Direction
	Shift     money.Rat
}

// Same reports whether two endings end every price alike because they are written alike.
func (e *Ending) Same(o *Ending) bool {
	return e.Step.Equal(o.Step) && e.Direction == o.Direction && e.Shift.Equal(o.Shift)
}

// Apply is the price with its ending.
func (e *Ending) Apply(price money.Rat) money.Rat {
	q := price.Div(e.Step)
	switch e.Direction {
	case UpTo:
		q = q.Round(0, money.Up)
	case DownTo:
		q = q.Round(0, money.Down)
	default: // nearest, a tie goes up
		q = q.Add(money.Ratio(1, 2)).Round(0, money.Down)
	}
	return q.Mul(e.Step).Add(e.Shift)
}

// CountsOwned reports whether the effect derives a price from what was bought before.
func (e *Effect) CountsOwned() bool {
	return e.Kind == ToDerived && e.Derive != nil && (e.Derive.From == Basket || e.Derive.Basis == "subtotal") &&
		e.Derive.Counts != "basket"
}
