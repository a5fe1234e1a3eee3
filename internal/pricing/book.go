package pricing

import (
	"cmp"
	"slices"

	"dogbane/internal/money"
)

// Book holds everything that decides a price. Package bookfile reads it from a document and guarantees what the text of
// the fields promises: that codes are unique, references resolve and numbers lie in their bounds.
type Book struct {
	Settings  Settings
	Groups    []Group
	Customers []Customer
	Ranges    []Range
	Ladders   []Ladder
	Campaigns []Campaign
	Channels  []Channel
	Products  []*Product // none of them ever changes: books that differ in a few have the others in common
	Rules     []Rule
}

// Settings hold for the whole book.
type Settings struct {
	Currency         string // ISO 4217
	TimeZone         string // IANA name
	Rounding         Rounding
	PricesIncludeTax bool
	TaxRates         map[string]money.Rat // percent by tax class
	ShippingTaxClass string
	Countries        map[string]Country // by two capital letters
	Layers           []LayerSetting     // all five, in the order in which prices pass through them
	Guard            Guard
	Guards           []Guard // the last whose Where matches replaces Guard
	ByHandMaxPercent money.Rat
	ByHandMaxAmount  *money.Rat
	Hire             *HireTimes
	Rates            map[string]money.Rat // channel currency = book currency × rate
}

// Country has tax rates of its own: percent by tax class, of the classes that the settings have. A class that it lacks
// has the book's rate there.
type Country struct{ TaxRates map[string]money.Rat }

// Rounding says how a price is rounded to its currency's minor units, and whether only at the end.
type Rounding struct {
	Mode      money.Mode // HalfUp or HalfEven
	EveryStep bool
}

// Layer names one of the five layers.
type Layer int8

// The five layers.
const (
	Catalog Layer = iota
	Sale
	Tier
	GroupTerms
	Promotion
	LayerCount = 5
)

var layerNames = [LayerCount]string{"catalog", "sale", "tier", "group", "promotion"}

// String is the layer as documents write it.
func (l Layer) String() string { return layerNames[l] }

// ParseLayer reads the name of a layer.
func ParseLayer(s string) (Layer, bool) {
	for i, name := range layerNames {
		if s == name {
			return Layer(i), true
		}
	}
	return 0, false
}

// LayerMode says how the rules of a layer share the work: "first", "lowest", "highest", "stack" or "add".
type LayerMode string

// The modes of a layer.
const (
	First   LayerMode = "first"
	Lowest  LayerMode = "lowest"
	Highest LayerMode = "highest"
	Stack   LayerMode = "stack"
	Add     LayerMode = "add"
)

// LayerSetting is one layer in the order of layers.
type LayerSetting struct {
	Layer    Layer
	Mode     LayerMode
	EndPrice bool // where a rule of this layer applied, no later layer does
}

// DefaultLayers is the order and the modes of a book that names none.
func DefaultLayers() []LayerSetting {
	return []LayerSetting{{Layer: Catalog, Mode: First}, {Layer: Sale, Mode: Lowest}, {Layer: Tier, Mode: Lowest},
		{Layer: GroupTerms, Mode: First}, {Layer: Promotion, Mode: Stack}}
}

// Guard is the least that must be left of a price.
type Guard struct {
	Where     *Where     // nil in Settings.Guard
	MinMargin money.Rat  // percent, below 100
	MaxOff    *money.Rat // percent of the price after the catalog layer that all layers together may take
	Hold      bool       // lift a lower price to the limit; else only flag it
}

// HireTimes are the hours that make the first and the last day of a hire free, in seconds since midnight.
type HireTimes struct{ FreeFirstDayFrom, FreeLastDayUntil *Moment }

// Group is a customer group.
type Group struct{ Code, Name string }

// Customer is a customer known by code.
type Customer struct {
	Code, Name string
	Groups     []string
	Attrs      map[string]string
}

// Range is a named selection of products that many rules share.
type Range struct {
	Code, Name string
	Where      Where
}

// Ladder is a set of breaks that many rules share.
type Ladder struct {
	Code, Name string
	Breaks     []Break
	Counting   Counting
}

// Campaign groups rules that start and stop together. A rule takes part only while its campaign does.
type Campaign struct {
	Code, Name string
	Status     Status
	Window     *Window
	Audience   *Audience
	Channels   []string // nil: all
}

// Channel is a place where prices are shown.
type Channel struct {
	Code, Name  string
	Currency    string // ISO 4217; empty: the book's
	Group       string // the group that its visitors count as
	Country     string
	TaxExcluded *bool // nil: as the book
	KeepsNet    bool  // where the country's tax is another, the net stays and not the price
	Ending      *Ending
	Where       *Where // what it lists; nil: everything
	FeePercent  money.Rat
	FeeAmount   money.Rat // a piece, in the channel's currency
	Hire        *HireTimes
	Can         []string // nil: all but "schedule"
	Limits      *Limits
	Language    string // of what is printed and mailed for it, such as "de"
}

// Limits are what a channel demands of the prices it takes.
type Limits struct {
	WholeUnits, NeedsReference, NeedsTerms bool
	MinOffPercent, MaxOffPercent           *money.Rat
	OffFromLowest30                        bool // reductions are measured from the lowest price of the last 30 days
	MinRating                              *money.Rat
	LeadHours                              *money.Rat
	RefusedWords                           []string
}

// Product is one sellable article. Costs are always without tax and in the book's currency.
type Product struct {
	SKU                                       string
	Name, Style, Category, Brand              string
	Supplier, Type, GTIN, TaxClass            string
	List, Cost, RRP, MAP, Stock, Rating, Sold *money.Rat
	Costs, Levels, ListIn                     map[string]money.Rat
	Tags                                      []string
	Attrs                                     map[string]Attr
	MinOrder                                  int    // 0: none
	Unit                                      string // "each", "day" or "month"
	Content                                   *Content
	Hire                                      *HireTimes
	Options                                   []Option
	Later                                     []Figures // from strictly rising moments on
	OnRequest                                 bool      // no price, whatever rules say
}

// Figures are what a product costs from a moment on. What is not given stays as it was, of the maps each entry by
// itself.
type Figures struct {
	From                  Moment
	List, Cost, RRP, MAP  *money.Rat
	Costs, Levels, ListIn map[string]money.Rat
}

// Attr is the value of an attribute: a text, or a number with the text it was written as.
type Attr struct {
	Text   string
	Number *money.Rat // also for a text that reads as a number
	Quoted bool       // written as a text in the document
}

// Content is what one unit holds, for a price per kilogram or litre.
type Content struct {
	Amount money.Rat
	Of     string
}

// Option is something chosen with a product at an extra price.
type Option struct {
	Code, Part string // part "options" or "work"
	Price      money.Rat
}

// Status of a rule or campaign.
type Status string

// Only rules that are on take part; a question may name others to be counted as on.
const (
	On    Status = "on"
	Off   Status = "off"
	Draft Status = "draft"
)

// Then says what a rule that applied ends.
type Then string

// What an applied rule may end.
const (
	EndLayer Then = "end-layer"
	EndPrice Then = "end-price"
)

// Rule is one rule of the book. Exactly one of Effect, Breaks, Ladder, Offer and Order is set.
type Rule struct {
	Code, Name, Note string
	Layer            Layer
	Rank             int
	Status           Status
	Campaign         string
	Where            Where
	Window           *Window
	Audience         *Audience
	Channels         []string // nil: all
	MinQuantity      int
	Currency         string // the rule takes part only in channels of this currency
	HireMatch        string // "days", "inside" or "any"
	Then             Then

	Effect *Effect
	Breaks []Break
	Ladder string
	Offer  *Offer
	Order  *Order

	Counting    Counting // with Breaks
	HistoryDays int      // with Breaks

	Of       Basis
	On       []string // parts that percent effects reach; nil: the base alone
	Ending   *Ending
	MaxOff   *MaxOff
	Floor    *Floor
	MayRaise bool

	Show     *Show
	LiveTags *LiveTags
}

// RulesInOrder are the rules in the order in which prices meet them: by layer, rank and code.
func (b *Book) RulesInOrder() []*Rule {
	var position [LayerCount]int
	for i, l := range b.Settings.Layers {
		position[l.Layer] = i
	}
	rules := make([]*Rule, len(b.Rules))
	for i := range b.Rules {
		rules[i] = &b.Rules[i]
	}
	slices.SortStableFunc(rules, func(a, b *Rule) int {
		return cmp.Or(cmp.Compare(position[a.Layer], position[b.Layer]), cmp.Compare(a.Rank, b.Rank),
			cmp.Compare(a.Code, b.Code))
	})
	return rules
}

// prices reports whether the rule sets prices of single units (offers and orders do not).
func (r *Rule) prices() bool { return r.Offer == nil && r.Order == nil }

// reachesBase reports whether percent effects of the rule reach the price itself, and not only options.
func (r *Rule) reachesBase() bool { return r.On == nil || slices.Contains(r.On, "base") }

// Show is what the public sees of a rule.
type Show struct {
	Label, Message, Badge, Image, Alt, Terms string
	As                                       string // "reduced" or "ordinary"
}

// Fixes says whether a rule fixes the price of the single customers whom it names: it applies whatever came before, and
// nothing after it does.
func (r *Rule) Fixes() bool {
	return r.Audience != nil && len(r.Audience.Customers) > 0 && len(r.Audience.Groups) == 0 && r.MayRaise &&
		r.Then == EndPrice
}

// LiveTags are published while a rule is live for a product.
type LiveTags struct{ Add, Remove []string }

// LiveTagsOf are the tags that rules publish together, in the order in which they apply: what one adds and a later one
// removes is removed, and the other way round.
func LiveTagsOf(rules []*Rule) LiveTags {
	var all LiveTags
	without := func(list []string, tag string) []string {
		return slices.DeleteFunc(list, func(t string) bool { return t == tag })
	}
	for _, r := range rules {
		if r.LiveTags == nil {
			continue
		}
		for _, tag := range r.LiveTags.Remove {
			all.Add, all.Remove = without(all.Add, tag), append(without(all.Remove, tag), tag)
		}
		for _, tag := range r.LiveTags.Add {
			all.Remove, all.Add = without(all.Remove, tag), append(without(all.Add, tag), tag)
		}
	}
	return all
}

// None says whether there are none.
func (t LiveTags) None() bool { return len(t.Add)+len(t.Remove) == 0 }

// Equal says whether two are the same, in whatever order.
func (t LiveTags) Equal(o LiveTags) bool { return sameSet(t.Add, o.Add) && sameSet(t.Remove, o.Remove) }

// sameSet compares lists in which nothing stands twice.
func sameSet(a, b []string) bool {
	return len(a) == len(b) && !slices.ContainsFunc(a, func(s string) bool { return !slices.Contains(b, s) })
}

// On are the tags that a product shows with those of its own.
func (t LiveTags) On(p *Product) []string {
	tags := slices.DeleteFunc(slices.Clone(p.Tags), func(tag string) bool { return slices.Contains(t.Remove, tag) })
	for _, tag := range t.Add {
		if !slices.Contains(tags, tag) {
			tags = append(tags, tag)
		}
	}
	return tags
}

// Order is what one line of a matching product may be; 0 where not set.
type Order struct{ Min, Multiple, Max, PerCustomer int }

// Offer is a promotion on a basket.
type Offer struct {
	Needs       []Need
	Spend       *Spend
	After       *After
	Codes       *Codes
	Gives       []Give
	Repeat      int // 0: no bound
	MaxUnits    int // 0: no bound
	MaxOff      *money.Rat
	SkipReduced bool
	Stock       *int
	PerCustomer *int
}

// Need is a set of units that an offer wants in the basket, for each application.
type Need struct {
	ID       string
	Where    Where
	Quantity int
	Same     string // "", "sku" or "style"
}

// Spend is an amount that must be spent on matching units.
type Spend struct {
	Where  Where
	Amount money.Rat
	Every  bool
}

// After wants an earlier purchase within so many calendar days.
type After struct {
	Where Where
	Days  int
}

// Codes are words of which one must be presented.
type Codes struct {
	Listed                           bool // further words are kept beside the book
	Words                            []string
	Uses, UsesPerCustomer, GraceDays *int
}

// Give is one reward of an offer.
type Give struct {
	To    string // a need's id, "needs", "basket", "shipping", or "" with Where
	Where *Where
	Units int // 0: the default; AllUnits for "all"

	PercentOff, AmountOff, Each, ForTotal *money.Rat
	Pick                                  string // "", "cheapest", "dearest" or "in-turn"
	Of                                    Basis  // "", "list" or "catalog"
}

// AllUnits is the value of Give.Units for "all".
const AllUnits = -1

// CountsOwned reports whether the rule derives a price from what was bought before; ladders are not looked at.
func (r *Rule) CountsOwned() bool {
	return r.Effect != nil && r.Effect.CountsOwned() ||
		slices.ContainsFunc(r.Breaks, func(b Break) bool { return b.Effect.CountsOwned() })
}

// Title is what people call the rule: its name or, where it has none, its code.
func (r *Rule) Title() string { return cmp.Or(r.Name, r.Code) }

// Title is what people call the campaign.
func (c *Campaign) Title() string { return cmp.Or(c.Name, c.Code) }

// Title is what people call the channel.
func (c *Channel) Title() string { return cmp.Or(c.Name, c.Code) }
