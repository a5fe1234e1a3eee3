package bookfile

import (
	"encoding/json"
	"regexp"
	"slices"
	"strconv"
	"time"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Decode reads a book of this format or an older one. Its error is an Errors with every error of the document.
func Decode(data []byte) (*pricing.Book, error) {
	data, err := upgraded(data)
	if err != nil {
		return nil, err
	}
	n, err := parse(data)
	if err != nil {
		return nil, err
	}
	b := n.book()
	if err := n.r.err(); err != nil {
		return nil, err
	}
	return b, nil
}

// DecodeProduct reads one product of a book with these settings; paths start at the product.
func DecodeProduct(data []byte, in *pricing.Book) (pricing.Product, error) {
	n, err := parse(data)
	if err != nil {
		return pricing.Product{}, err
	}
	p := n.product()
	if t := n.may("taxClass"); t != nil {
		t.knownTax(in.Settings.TaxRates)
	}
	return p, n.r.err()
}

// DecodeRule reads one rule that is to stand in a book; paths start at the rule.
func DecodeRule(data []byte, in *pricing.Book) (pricing.Rule, error) {
	n, err := parse(data)
	if err != nil {
		return pricing.Rule{}, err
	}
	r := n.rule()
	n.checkRule(namesOf(in))
	return r, n.r.err()
}

func (n *node) book() *pricing.Book {
	b := &pricing.Book{}
	if n.shaped("") == nil {
		return b
	}
	if f := n.need("book"); f != nil && f.text() != Format {
		if formatOf(f.text()) > FormatNumber {
			f.fail("was written by a newer version of the program; this one reads up to %q", Format)
		} else {
			f.fail("must be %q", Format)
		}
	}
	if s := n.need("settings"); s != nil {
		b.Settings = s.settings()
	}
	each(n.may("groups"), &b.Groups, (*node).group)
	each(n.may("customers"), &b.Customers, (*node).customer)
	each(n.may("ranges"), &b.Ranges, (*node).namedRange)
	each(n.may("ladders"), &b.Ladders, (*node).ladder)
	each(n.may("campaigns"), &b.Campaigns, (*node).campaign)
	each(n.may("channels"), &b.Channels, (*node).channel)
	each(n.may("products"), &b.Products, func(n *node) *pricing.Product { p := n.product(); return &p })
	each(n.may("rules"), &b.Rules, (*node).rule)
	n.checkBook(b)
	return b
}

func each[T any](n *node, list *[]T, read func(*node) T) {
	for _, item := range n.items() {
		*list = append(*list, read(item))
	}
}

func (n *node) settings() pricing.Settings {
	s := pricing.Settings{PricesIncludeTax: true, Layers: pricing.DefaultLayers()}
	if n.shaped("settings") == nil {
		return s
	}
	if c := n.need("currency"); c != nil {
		s.Currency = c.currency()
	}
	if z := n.need("timeZone"); z != nil {
		s.TimeZone = z.word()
		if _, err := time.LoadLocation(s.TimeZone); s.TimeZone != "" && (err != nil || s.TimeZone == "Local") {
			z.fail("is not a time zone of the IANA database, such as \"Europe/Amsterdam\"")
		}
	}
	if r := n.may("rounding"); r != nil && r.shaped("settings.rounding") != nil {
		if r.may("mode").oneOf("half-up", "half-up", "half-even") == "half-even" {
			s.Rounding.Mode = money.HalfEven
		}
		s.Rounding.EveryStep = r.may("when").oneOf("end", "end", "step") == "step"
	}
	s.PricesIncludeTax = n.may("pricesIncludeTax").truth(true)
	s.TaxRates = n.may("taxRates").amounts()
	s.ShippingTaxClass = n.may("shippingTaxClass").text()
	s.Countries = n.may("countries").countries()
	if l := n.may("layers"); l != nil {
		s.Layers = l.layers()
	}
	if g := n.may("guard"); g != nil {
		s.Guard = g.guard(false)
	}
	for _, g := range n.may("guards").items() {
		s.Guards = append(s.Guards, g.guard(true))
	}
	if h := n.may("byHand"); h != nil && h.shaped("settings.byHand") != nil {
		s.ByHandMaxPercent, s.ByHandMaxAmount = h.may("maxPercent").percent(), h.may("maxAmount").amountPtr()
	}
	s.Hire = n.may("hire").hireTimes()
	for _, r := range n.may("rates").entries() {
		if _, known := money.Digits(r.key); !known {
			r.fail("is not a currency of ISO 4217")
		}
		rate := r.amount()
		if rate.Sign() == 0 {
			r.fail("a rate must be above 0")
		}
		if s.Rates == nil {
			s.Rates = map[string]money.Rat{}
		}
		s.Rates[r.key] = rate
	}
	return s
}

var countryPattern = regexp.MustCompile(`^[A-Z]{2}$`)

// countries are tax rates of single countries.
func (n *node) countries() map[string]pricing.Country {
	var all map[string]pricing.Country
	for _, e := range n.entries() {
		if !countryPattern.MatchString(e.key) {
			e.fail("must be known by two capital letters, such as \"DE\"")
		}
		if e.shaped("country") == nil {
			continue
		}
		if all == nil {
			all = map[string]pricing.Country{}
		}
		c := pricing.Country{TaxRates: e.need("taxRates").amounts()}
		if c.TaxRates == nil {
			c.TaxRates = map[string]money.Rat{}
		}
		all[e.key] = c
	}
	return all
}

func (n *node) currency() string {
	c := n.word()
	if _, known := money.Digits(c); c != "" && !known {
		n.fail("is not a currency of ISO 4217, such as \"EUR\"")
	}
	return c
}

func (n *node) layers() []pricing.LayerSetting {
	var list []pricing.LayerSetting
	failed := false
	for _, item := range n.items() {
		if item.shaped("layerSetting") == nil {
			failed = true
			continue
		}
		var l pricing.LayerSetting
		if name := item.need("layer"); name != nil {
			text := name.oneOf("", "catalog", "sale", "tier", "group", "promotion")
			l.Layer, _ = pricing.ParseLayer(text)
			failed = failed || text == ""
			if text != "" && slices.ContainsFunc(list, func(o pricing.LayerSetting) bool { return o.Layer == l.Layer }) {
				name.fail("stands in the list twice")
				failed = true
			}
		} else {
			failed = true
		}
		if mode := item.need("mode"); mode != nil {
			l.Mode = pricing.LayerMode(mode.oneOf("first", "first", "lowest", "highest", "stack", "add"))
		}
		l.EndPrice = item.may("then").oneOf("", "end-price") != ""
		list = append(list, l)
	}
	switch {
	case failed:
	case len(list) != pricing.LayerCount:
		n.fail("must list all five layers: catalog, sale, tier, group, promotion")
	case list[0].Layer != pricing.Catalog || list[4].Layer != pricing.Promotion:
		n.fail("catalog must be the first layer and promotion the last")
	default:
		return list
	}
	return pricing.DefaultLayers()
}

func (n *node) guard(where bool) pricing.Guard {
	var g pricing.Guard
	shape := "settings.guard"
	if where {
		shape = "settings.guards"
	}
	if n.shaped(shape) == nil {
		return g
	}
	if where {
		g.Where = n.where("where", false)
	}
	g.MinMargin = n.may("minMargin").marginPercent()
	g.Hold = n.may("action").oneOf("flag", "flag", "hold") == "hold"
	g.MaxOff = n.may("maxOff").percentPtr()
	return g
}

func (n *node) hireTimes() *pricing.HireTimes {
	if n == nil || n.shaped("hireTimes") == nil {
		return nil
	}
	return &pricing.HireTimes{FreeFirstDayFrom: n.may("freeFirstDayFrom").clockPtr(),
		FreeLastDayUntil: n.may("freeLastDayUntil").clockPtr()}
}

func (n *node) group() (g pricing.Group) {
	if n.shaped("group") != nil {
		g.Code, g.Name = n.need("code").code(), n.may("name").name()
	}
	return g
}

func (n *node) customer() (c pricing.Customer) {
	if n.shaped("customer") == nil {
		return c
	}
	c.Code, c.Name, c.Groups = n.need("code").code(), n.may("name").name(), n.may("groups").texts()
	for _, a := range n.may("attrs").entries() {
		if c.Attrs == nil {
			c.Attrs = map[string]string{}
		}
		a.checkKey()
		c.Attrs[a.key] = a.text()
	}
	return c
}

func (n *node) namedRange() (r pricing.Range) {
	if n.shaped("range") == nil {
		return r
	}
	r.Code, r.Name = n.need("code").code(), n.may("name").name()
	if w := n.where("where", false); w != nil {
		r.Where = *w
	}
	return r
}

func (n *node) ladder() (l pricing.Ladder) {
	if n.shaped("ladder") == nil {
		return l
	}
	l.Code, l.Name = n.need("code").code(), n.may("name").name()
	l.Counting = n.counting()
	if b := n.need("breaks"); b != nil {
		l.Breaks = b.breaks(l.Counting.Measure)
	}
	return l
}

func (n *node) campaign() (c pricing.Campaign) {
	if n.shaped("campaign") == nil {
		return c
	}
	c.Code, c.Name = n.need("code").code(), n.may("name").name()
	c.Status = pricing.Status(n.may("status").oneOf("on", "on", "off", "draft"))
	c.Window, c.Audience, c.Channels = n.may("window").window(), n.may("audience").audience(), n.may("channels").texts()
	return c
}

var abilities = []string{"breaks", "brackets", "offers", "codes", "groups", "schedule"}

func (n *node) channel() (c pricing.Channel) {
	if n.shaped("channel") == nil {
		return c
	}
	c.Code, c.Name = n.need("code").code(), n.may("name").name()
	if m := n.may("currency"); m != nil {
		c.Currency = m.currency()
	}
	c.Group, c.Country = n.may("group").text(), n.may("country").text()
	if t := n.may("tax"); t != nil {
		excluded := t.oneOf("included", "included", "excluded") == "excluded"
		c.TaxExcluded = &excluded
	}
	c.KeepsNet = n.may("keeps").oneOf("price", "price", "net") == "net"
	c.Ending = n.may("ending").ending()
	if n.has("where") {
		c.Where = n.where("where", false)
	}
	if f := n.may("fee"); f != nil && f.shaped("channel.fee") != nil {
		c.FeePercent, c.FeeAmount = f.may("percent").percent(), f.may("amount").amount()
	}
	c.Hire = n.may("hire").hireTimes()
	if can := n.may("can"); can != nil {
		c.Can = []string{}
		for _, item := range can.items() {
			c.Can = append(c.Can, item.oneOf("", abilities...))
		}
	}
	if l := n.may("limits"); l != nil && l.shaped("channel.limits") != nil {
		c.Limits = &pricing.Limits{WholeUnits: l.may("wholeUnits").truth(false),
			NeedsReference: l.may("needsReference").truth(false),
			NeedsTerms:     l.may("needsTerms").truth(false), MinOffPercent: l.may("minOffPercent").percentPtr(),
			MaxOffPercent: l.may("maxOffPercent").percentPtr(), OffFromLowest30: l.may("offFrom").oneOf("catalog", "catalog",
				"lowest30") == "lowest30",
			MinRating: l.may("minRating").numberPtr(), LeadHours: l.may("leadHours").numberPtr(),
			RefusedWords: l.may("refusedWords").texts()}
	}
	c.Language = n.may("language").text()
	return c
}

// number is a decimal not below 0, written as a text, or a whole number written as a number.
func (n *node) number() money.Rat {
	if _, isNumber := n.value.(json.Number); isNumber {
		return money.Int(int64(n.whole(0, 0)))
	}
	return n.amount()
}

func (n *node) numberPtr() *money.Rat {
	if n == nil {
		return nil
	}
	v := n.number()
	return &v
}

func (n *node) product() (p pricing.Product) {
	if n.shaped("product") == nil {
		return p
	}
	p.SKU, p.Name = n.need("sku").sku(), n.may("name").name()
	p.List, p.Cost, p.RRP, p.MAP = n.may("list").amountPtr(), n.may("cost").amountPtr(), n.may("rrp").amountPtr(),
		n.may("map").amountPtr()
	p.Costs, p.Levels = n.may("costs").amounts(), n.may("levels").amounts()
	p.ListIn = n.may("listIn").amountsIn()
	p.Style, p.Category, p.Brand = n.may("style").text(), n.may("category").text(), n.may("brand").text()
	p.Supplier, p.Type, p.GTIN, p.TaxClass = n.may("supplier").text(), n.may("type").text(), n.may("gtin").text(),
		n.may("taxClass").text()
	p.Tags = n.may("tags").texts()
	for _, a := range n.may("attrs").entries() {
		if p.Attrs == nil {
			p.Attrs = map[string]pricing.Attr{}
		}
		a.checkKey()
		p.Attrs[a.key] = a.attr()
	}
	p.Stock, p.Rating, p.Sold = n.may("stock").numberPtr(), n.may("rating").numberPtr(), n.may("sold").numberPtr()
	p.MinOrder = n.may("minOrder").whole(0, 1)
	p.Unit = n.may("unit").oneOf("each", "each", "day", "month")
	if c := n.may("content"); c != nil && c.shaped("product.content") != nil {
		p.Content = &pricing.Content{Of: c.need("of").word()}
		if a := c.need("amount"); a != nil {
			p.Content.Amount = a.amount()
			if p.Content.Amount.Sign() == 0 {
				a.fail("must be above 0")
			}
		}
	}
	p.Hire = n.may("hire").hireTimes()
	for _, o := range n.may("options").items() {
		if o.shaped("product.options") == nil {
			continue
		}
		option := pricing.Option{Code: o.need("code").word(), Price: o.need("price").amount(),
			Part: o.may("part").oneOf("options", "options", "work")}
		if slices.ContainsFunc(p.Options, func(e pricing.Option) bool { return e.Code == option.Code }) {
			o.child("code").fail("is defined twice")
		}
		p.Options = append(p.Options, option)
	}
	for _, l := range n.may("later").items() {
		if f, ok := l.figures(); ok {
			if i := len(p.Later) - 1; i >= 0 && f.From <= p.Later[i].From {
				l.child("from").fail("must be above the from before it")
			}
			p.Later = append(p.Later, f)
		}
	}
	p.OnRequest = n.may("onRequest").truth(false)
	return p
}

// amountsIn are amounts by currency.
func (n *node) amountsIn() map[string]money.Rat {
	for _, e := range n.entries() {
		if _, known := money.Digits(e.key); !known {
			e.fail("is not a currency of ISO 4217")
		}
	}
	return n.amounts()
}

// figures are those of a product from a moment on; false where they have no moment.
func (n *node) figures() (f pricing.Figures, ok bool) {
	if n.shaped("figures") == nil {
		return f, false
	}
	if m := n.need("from"); m != nil {
		f.From, ok = m.moment()
	}
	f.List, f.Cost, f.RRP, f.MAP = n.may("list").amountPtr(), n.may("cost").amountPtr(), n.may("rrp").amountPtr(),
		n.may("map").amountPtr()
	f.Costs, f.Levels, f.ListIn = n.may("costs").amounts(), n.may("levels").amounts(), n.may("listIn").amountsIn()
	if f.Empty() {
		n.fail("must have at least one figure, such as a list price")
	}
	return f, ok
}

func (n *node) attr() pricing.Attr {
	switch v := n.value.(type) {
	case string:
		a := pricing.Attr{Text: v, Quoted: true}
		if d, err := money.Parse(v); err == nil {
			a.Number = &d
		}
		return a
	case json.Number:
		d, err := money.Parse(string(v))
		if err != nil {
			n.fail("must be a text or a plain number")
		}
		return pricing.Attr{Text: d.String(), Number: &d}
	}
	n.fail("must be a text or a number")
	return pricing.Attr{}
}

var clockPattern = regexp.MustCompile(`^([01][0-9]|2[0-3]):([0-5][0-9])(?::([0-5][0-9]))?$`)

// clock is a time of day, "17:30" or "17:30:15", in seconds since midnight.
func (n *node) clock() (pricing.Moment, bool) {
	s := n.text()
	m := clockPattern.FindStringSubmatch(s)
	if m == nil {
		if _, isText := n.value.(string); isText {
			n.fail("must be a time of day such as \"17:30\"")
		}
		return 0, false
	}
	h, _ := strconv.Atoi(m[1])
	min, _ := strconv.Atoi(m[2])
	sec, _ := strconv.Atoi(m[3]) // empty: 0
	return pricing.Moment(h)*pricing.Hour + pricing.Moment(min)*pricing.Minute + pricing.Moment(sec), true
}

func (n *node) clockPtr() *pricing.Moment {
	if n == nil {
		return nil
	}
	c, _ := n.clock()
	return &c
}

func (n *node) moment() (pricing.Moment, bool) {
	s := n.text()
	m, err := pricing.ParseMoment(s)
	if err != nil {
		if _, isText := n.value.(string); isText {
			n.fail("%v", err)
		}
		return 0, false
	}
	return m, true
}

func (n *node) window() *pricing.Window {
	if n == nil || n.shaped("window") == nil {
		return nil
	}
	w := &pricing.Window{}
	if f := n.may("from"); f != nil {
		if m, ok := f.moment(); ok {
			w.From = &m
		}
	}
	if t := n.may("to"); t != nil {
		if m, ok := t.moment(); ok {
			w.To = &m
			if w.From != nil && m <= *w.From {
				t.fail("the window ends where or before it starts (%s)", *w.From)
			}
		}
	}
	if d := n.may("days"); d != nil {
		w.Days = []pricing.Weekday{}
		for _, item := range d.items() {
			if day, ok := pricing.ParseWeekday(item.oneOf("", "mon", "tue", "wed", "thu", "fri", "sat", "sun")); ok &&
				!slices.Contains(w.Days, day) {
				w.Days = append(w.Days, day)
			}
		}
	}
	if h := n.may("hours"); h != nil {
		if items := h.items(); len(items) == 2 {
			from, ok1 := items[0].clock()
			to, ok2 := items[1].clock()
			if ok1 && ok2 && from == to {
				h.fail("begin and end must differ")
			}
			w.Hours = &pricing.Hours{From: from, To: to}
		} else if items != nil || isList(h.value) {
			h.fail("must be a begin and an end, such as [\"09:00\", \"12:00\"]")
		}
	}
	if k := n.may("weekly"); k != nil && k.shaped("window.weekly") != nil {
		from, ok1 := k.need("from").weekMoment()
		to, ok2 := k.need("to").weekMoment()
		if ok1 && ok2 && from == to {
			k.child("to").fail("the span ends where it starts")
		}
		w.Weekly = &pricing.Weekly{From: from, To: to}
	}
	if y := n.may("yearly"); y != nil && y.shaped("window.yearly") != nil {
		from, ok1 := y.need("from").monthDay()
		to, ok2 := y.need("to").monthDay()
		if ok1 && ok2 && from == to {
			y.child("to").fail("the span ends where it starts")
		}
		w.Yearly = &pricing.Yearly{From: from, To: to}
	}
	return w
}

func isList(v any) bool { _, ok := v.([]any); return ok }

// weekMoment reads "fri 18:00" as seconds since Monday 00:00.
func (n *node) weekMoment() (pricing.Moment, bool) {
	if n == nil {
		return 0, false
	}
	s := n.text()
	if len(s) > 4 && s[3] == ' ' {
		if day, ok := pricing.ParseWeekday(s[:3]); ok && clockPattern.MatchString(s[4:]) {
			t, _ := (&node{r: n.r, value: s[4:]}).clock()
			return pricing.Moment(day)*pricing.Day + t, true
		}
	}
	if _, isText := n.value.(string); isText {
		n.fail("must be a weekday and a time such as \"fri 18:00\"")
	}
	return 0, false
}

// monthDay reads "03-01".
func (n *node) monthDay() (pricing.MonthDay, bool) {
	if n == nil {
		return 0, false
	}
	s := n.text()
	t, err := time.Parse("2006-01-02", "2000-"+s) // a leap year: 29 February exists
	if err != nil {
		if _, isText := n.value.(string); isText {
			n.fail("must be a day of the year that exists, such as \"03-01\"")
		}
		return 0, false
	}
	return pricing.MonthDay(int(t.Month())*100 + t.Day()), true
}

func (n *node) audience() *pricing.Audience {
	if n == nil || n.shaped("audience") == nil {
		return nil
	}
	a := &pricing.Audience{Groups: n.may("groups").texts(), Customers: n.may("customers").texts(),
		Countries:  n.may("countries").texts(),
		FirstOrder: n.may("firstOrder").truthPtr(), SignedIn: n.may("signedIn").truthPtr()}
	for _, e := range n.may("customerAttr").entries() {
		if a.CustomerAttr == nil {
			a.CustomerAttr = map[string][]string{}
		}
		e.checkKey()
		a.CustomerAttr[e.key] = e.texts()
	}
	return a
}

func (n *node) ending() *pricing.Ending {
	if n == nil || n.shaped("ending") == nil {
		return nil
	}
	e := &pricing.Ending{Direction: pricing.Direction(n.may("direction").oneOf("nearest", "nearest", "up", "down")),
		Step: money.Int(1)}
	if s := n.need("step"); s != nil {
		if step, ok := s.decimal(); ok {
			if step.Sign() <= 0 {
				s.fail("must be above 0")
			} else {
				e.Step = step
			}
		}
	}
	if s := n.may("shift"); s != nil {
		e.Shift, _ = s.decimal()
	}
	return e
}
