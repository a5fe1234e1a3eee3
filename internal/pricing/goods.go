package pricing

import (
	"math"
	"slices"
	"sync"

	"dogbane/internal/money"
)

// goods is what an engine knows of the products and of where they are sold: all of a book but its rules, campaigns and
// ladders. Engines whose books differ in those only share it.
type goods struct {
	settings  *Settings
	products  []*Product // in the order of their categories; their index is the product's number
	index     *index
	list      column // list price, book currency
	cost      column // without tax, book currency
	taxes     []money.Rat
	taxOf     []uint16               // by product, the index into taxes: 1 + tax rate
	fixedIn   map[string]Set         // products with a list price of their own, by currency
	taxesIn   map[string][]money.Rat // like taxes, by country
	onRequest Set                    // products without a price, whatever rules say; nil: none
	guards    []Set                  // which products each of the settings' guards holds for
	channels  map[string]*Channel
	listed    map[string]Set // what a channel lists, where that is not everything
	groups    map[string]bool
	people    map[string]*Customer

	later  []int32  // the products with later figures
	begins []Moment // when such begin to hold, ascending
	eras   *PerEra[*goods]

	mu     sync.Mutex
	limits map[*Channel]*limits
}

// column is a number per product as n/d. d is 0 where a product has none, and below 0 where the number does not fit.
type column struct{ n, d []int64 }

func (c *column) set(at int32, v *money.Rat) {
	if v == nil {
		return
	}
	n, d, fits := v.Parts()
	if !fits {
		n, d = 0, -1
	}
	c.n[at], c.d[at] = n, d
}

func newGoods(book *Book) *goods {
	g := &goods{settings: &book.Settings, channels: map[string]*Channel{}, groups: map[string]bool{},
		people: map[string]*Customer{}, eras: &PerEra[*goods]{},
		listed: map[string]Set{}, fixedIn: map[string]Set{}, limits: map[*Channel]*limits{}}
	var numberOf []int32
	var categories []categoryRun
	g.products, numberOf, categories = inOrder(book.Products)
	g.index = newIndex(book.Products, numberOf, categories, book.Ranges)
	side := Begin(func() { g.index.number("") }) // the SKUs, beside the columns
	g.readProducts(book.Products, numberOf)
	g.findLater(book.Products, numberOf)
	for i := range book.Channels {
		c := &book.Channels[i]
		g.channels[c.Code] = c
		if c.Where != nil {
			g.listed[c.Code] = g.index.match(c.Where, false)
		}
	}
	for _, group := range book.Groups {
		g.groups[group.Code] = true
	}
	for i := range book.Customers {
		g.people[book.Customers[i].Code] = &book.Customers[i]
	}
	for i := range book.Settings.Guards {
		g.guards = append(g.guards, g.index.match(book.Settings.Guards[i].Where, false))
	}
	side.Wait()
	return g
}

// readProducts makes the columns, going through the products as they lie in memory.
func (g *goods) readProducts(products []*Product, numberOf []int32) {
	g.taxes, g.taxOf = []money.Rat{money.Int(1)}, make([]uint16, len(products))
	class := map[string]uint16{}
	for name, percent := range g.settings.TaxRates {
		class[name] = uint16(len(g.taxes))
		g.taxes = append(g.taxes, taxFactor(percent))
	}
	g.taxesIn = map[string][]money.Rat{}
	for country, own := range g.settings.Countries {
		there := slices.Clone(g.taxes)
		for name, percent := range own.TaxRates {
			there[class[name]] = taxFactor(percent)
		}
		g.taxesIn[country] = there
	}
	g.list, g.cost = newColumn(len(products)), newColumn(len(products))
	for i := range products {
		p, at := products[i], numberOf[i]
		g.list.set(at, p.List)
		g.cost.set(at, p.Cost)
		if p.TaxClass != "" {
			g.taxOf[at] = class[p.TaxClass]
		}
		if p.OnRequest {
			if g.onRequest == nil {
				g.onRequest = g.index.empty()
			}
			g.onRequest.add(at)
		}
		for currency := range p.ListIn {
			if g.fixedIn[currency] == nil {
				g.fixedIn[currency] = g.index.empty()
			}
			g.fixedIn[currency].add(at)
		}
	}
}

func newColumn(n int) column { return column{make([]int64, n), make([]int64, n)} }

func taxFactor(percent money.Rat) money.Rat {
	return money.Int(1).Add(money.PercentOf(percent)).Reduce()
}

// tax is 1 + the tax rate of a product in the book.
func (g *goods) tax(p int32) money.Rat { return g.taxes[g.taxOf[p]] }

// taxHere is 1 + the tax rate of a product in the channel's country.
func (v *view) taxHere(p int32) money.Rat { return v.here[v.taxOf[p]] }

// guard is the one that holds for a product: the last of the settings' guards that matches, else the general one.
func (g *goods) guard(p int32) *Guard {
	for i := len(g.guards) - 1; i >= 0; i-- {
		if g.guards[i].Has(p) {
			return &g.settings.Guards[i]
		}
	}
	return &g.settings.Guard
}

// limits are, for one channel, the prices at which products begin to earn what they must: whole minor units, rounded
// up, so that a price in minor units is below the exact limit just where it is below this.
type limits struct {
	// nothing is lost from here on; noLimit where the cost is unknown, math.MaxInt64 where no price will do
	breakEven []int64
	guarded   []int64 // the guard's lowest permitted price, likewise
	spent     []int64 // cost and the fee's amount; noLimit where the cost is unknown or they are no whole minor units
	shares    []share // by tax class
}

// share is what the net price, and what the fee's percent leaves of that, are of a price, as fractions. left's is 0/0
// where the fractions are not short.
type share struct{ netN, netD, leftN, leftD int64 }

const shortFraction = 1 << 20

func (v *view) share(tax money.Rat) share {
	net := money.Int(1)
	if v.showTax {
		net = tax.Inv().Reduce()
	}
	left := net
	if v.channel != nil {
		left = net.Mul(money.Int(1).Sub(money.PercentOf(v.channel.FeePercent))).Reduce()
	}
	nn, nd, ok1 := net.Parts()
	ln, ld, ok2 := left.Parts()
	if !ok1 || !ok2 || max(nn, nd, ln, ld) > shortFraction || ln < 0 {
		return share{}
	}
	return share{nn, nd, ln, ld}
}

// spentOn is what a sold piece costs besides the fee's percent.
func (v *view) spentOn(p int32) int64 {
	cost := v.bookAmount(v.products[p].Cost)
	if !cost.ok {
		return noLimit
	}
	if v.channel != nil {
		cost.v = cost.v.Add(v.channel.FeeAmount)
	}
	n, fits := cost.v.Minor(v.digits, money.Down)
	if !fits || n > 1<<40 || !money.FromMinor(n, v.digits).Equal(cost.v) {
		return noLimit
	}
	return n
}

// noLimit is below every price.
const noLimit = math.MinInt64

// limitsOf are computed when first asked for, once per channel (nil: none).
func (v *view) limitsOf() *limits {
	v.mu.Lock()
	defer v.mu.Unlock()
	if l := v.limits[v.channel]; l != nil {
		return l
	}
	l := &limits{breakEven: make([]int64, len(v.products)), guarded: make([]int64, len(v.products)),
		spent: make([]int64, len(v.products))}
	for _, tax := range v.here {
		l.shares = append(l.shares, v.share(tax))
	}
	InParallel(len(v.products), func(from, to int) {
		for p := int32(from); p < int32(to); p++ {
			l.breakEven[p] = v.minorLimit(v.limit(p, money.Rat{}))
			l.spent[p] = v.spentOn(p)
			l.guarded[p] = l.breakEven[p]
			if margin := v.guard(p).MinMargin; margin.Sign() != 0 {
				l.guarded[p] = v.minorLimit(v.limit(p, margin))
			}
		}
	})
	v.limits[v.channel] = l
	return l
}

func (v *view) minorLimit(limit optional, outOfReach bool) int64 {
	if outOfReach {
		return math.MaxInt64
	}
	if !limit.ok {
		return noLimit
	}
	n, fits := limit.v.Minor(v.digits, money.Up)
	if !fits {
		return math.MaxInt64
	}
	return n
}

// limit is the price on the channel's footing at which a margin (in percent) is reached. There is none where the cost
// is unknown; it is out of reach (false, true) where margin and fee together leave nothing.
func (v *view) limit(p int32, margin money.Rat) (limit optional, outOfReach bool) {
	cost := v.bookAmount(v.products[p].Cost)
	if !cost.ok {
		return optional{}, false
	}
	left := money.Int(1).Sub(money.PercentOf(margin))
	if v.channel != nil {
		cost.v = cost.v.Add(v.channel.FeeAmount)
		left = left.Sub(money.PercentOf(v.channel.FeePercent))
	}
	if left.Sign() <= 0 {
		return optional{}, true
	}
	return some(v.shown(p, cost.v.Div(left))), false
}
