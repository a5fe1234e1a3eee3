package bookfile

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"sort"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Encode writes a book as a document that Decode reads back as the same book. Keys with their default value are left
// out.
func Encode(b *pricing.Book) []byte {
	o := shapedObject("")
	o.text("book", Format)
	o.raw("settings", EncodeSettings(&b.Settings))
	list(o, "groups", b.Groups, EncodeGroup)
	list(o, "customers", b.Customers, EncodeCustomer)
	list(o, "ranges", b.Ranges, EncodeRange)
	list(o, "ladders", b.Ladders, EncodeLadder)
	list(o, "campaigns", b.Campaigns, EncodeCampaign)
	list(o, "channels", b.Channels, EncodeChannel)
	list(o, "products", b.Products, func(p **pricing.Product) []byte { return EncodeProduct(*p) })
	list(o, "rules", b.Rules, EncodeRule)
	var out bytes.Buffer
	if err := json.Indent(&out, o.done(), "", "  "); err != nil {
		panic(fmt.Sprintf("bookfile: encoded a document that is not JSON: %v", err))
	}
	out.WriteByte('\n')
	return out.Bytes()
}

// object writes a JSON object key by key; methods leave out what is empty. The keys of a shape of the schema come in
// its order, so that a document has one form.
type object struct {
	buf   bytes.Buffer
	shape string
	keys  []string // of the shape, those that may still come; nil: any key
}

// newObject is an object whose keys are one's own, such as those of attributes.
func newObject() *object {
	o := &object{}
	o.buf.WriteByte('{')
	return o
}

// shapedObject is an object of a shape of the schema.
func shapedObject(shape string) *object {
	o := newObject()
	o.shape, o.keys = shape, keysOf(shape)
	return o
}

// take passes over a key, and panics where the schema does not have it there.
func (o *object) take(key string) {
	if o.keys == nil {
		return
	}
	i := slices.Index(o.keys, key)
	if i < 0 {
		panic(fmt.Sprintf("bookfile: wrote the key %q of %q out of the schema's order %v", key, o.shape, keysOf(o.shape)))
	}
	o.keys = o.keys[i+1:]
}

func (o *object) done() []byte {
	o.buf.WriteByte('}')
	return o.buf.Bytes()
}

func (o *object) raw(key string, value []byte) *object {
	if value == nil {
		return o
	}
	o.take(key)
	if o.buf.Len() > 1 {
		o.buf.WriteByte(',')
	}
	o.buf.Write(marshal(key))
	o.buf.WriteByte(':')
	o.buf.Write(value)
	return o
}

func marshal(v any) []byte {
	var buf bytes.Buffer
	enc := json.NewEncoder(&buf)
	enc.SetEscapeHTML(false)
	if err := enc.Encode(v); err != nil {
		panic(fmt.Sprintf("bookfile: cannot encode %T: %v", v, err))
	}
	return bytes.TrimRight(buf.Bytes(), "\n")
}

func (o *object) text(key, s string) *object {
	if s == "" {
		return o
	}
	return o.raw(key, marshal(s))
}

func (o *object) whole(key string, i, fallback int) *object {
	if i == fallback {
		return o
	}
	return o.raw(key, marshal(i))
}

func (o *object) wholePtr(key string, i *int) *object {
	if i == nil {
		return o
	}
	return o.raw(key, marshal(*i))
}

func (o *object) truth(key string, b bool) *object {
	if !b {
		return o
	}
	return o.raw(key, []byte("true"))
}

func (o *object) truthPtr(key string, b *bool) *object {
	if b == nil {
		return o
	}
	return o.raw(key, marshal(*b))
}

func (o *object) texts(key string, list []string) *object {
	if list == nil {
		return o
	}
	return o.raw(key, marshal(list))
}

// plain writes a number as short as it is: percents, steps, stock.
func (o *object) plain(key string, a *money.Rat) *object {
	if a == nil {
		return o
	}
	return o.raw(key, marshal(a.String()))
}

// amount writes money with at least two decimals, as people write it.
func (o *object) amount(key string, a *money.Rat) *object {
	if a == nil {
		return o
	}
	return o.raw(key, marshal(Amount(*a)))
}

// Amount writes an exact amount with at least two decimals.
func Amount(a money.Rat) string {
	if two := a.Round(2, money.HalfUp); two.Equal(a) {
		return a.Fixed(2)
	}
	return a.String()
}

func (o *object) amounts(key string, m map[string]money.Rat, write func(money.Rat) string) *object {
	if m == nil {
		return o
	}
	texts := make(map[string]string, len(m))
	for k, v := range m {
		texts[k] = write(v)
	}
	return o.raw(key, marshal(texts)) // encoding/json sorts the keys
}

func list[T any](o *object, key string, items []T, encode func(*T) []byte) {
	if items == nil {
		return
	}
	o.raw(key, array(items, encode))
}

func array[T any](items []T, encode func(*T) []byte) []byte {
	var buf bytes.Buffer
	buf.WriteByte('[')
	for i := range items {
		if i > 0 {
			buf.WriteByte(',')
		}
		buf.Write(encode(&items[i]))
	}
	buf.WriteByte(']')
	return buf.Bytes()
}

// EncodeSettings writes the settings of a book.
func EncodeSettings(s *pricing.Settings) []byte {
	o := shapedObject("settings").text("currency", s.Currency).text("timeZone", s.TimeZone)
	if s.Rounding != (pricing.Rounding{}) {
		r := shapedObject("settings.rounding")
		if s.Rounding.Mode == money.HalfEven {
			r.text("mode", "half-even")
		}
		if s.Rounding.EveryStep {
			r.text("when", "step")
		}
		o.raw("rounding", r.done())
	}
	if !s.PricesIncludeTax {
		o.raw("pricesIncludeTax", []byte("false"))
	}
	o.amounts("taxRates", s.TaxRates, money.Rat.String).text("shippingTaxClass", s.ShippingTaxClass)
	if s.Countries != nil {
		all := newObject()
		for _, code := range sortedKeys(s.Countries) {
			all.raw(code, shapedObject("country").amounts("taxRates", s.Countries[code].TaxRates, money.Rat.String).done())
		}
		o.raw("countries", all.done())
	}
	if !slices.Equal(s.Layers, pricing.DefaultLayers()) {
		list(o, "layers", s.Layers, func(l *pricing.LayerSetting) []byte {
			e := shapedObject("layerSetting").text("layer", l.Layer.String()).text("mode", string(l.Mode))
			if l.EndPrice {
				e.text("then", string(pricing.EndPrice))
			}
			return e.done()
		})
	}
	if g := s.Guard; g.MinMargin.Sign() != 0 || g.MaxOff != nil || g.Hold {
		o.raw("guard", encodeGuard(&g))
	}
	list(o, "guards", s.Guards, encodeGuard)
	if s.ByHandMaxPercent.Sign() != 0 || s.ByHandMaxAmount != nil {
		o.raw("byHand", shapedObject("settings.byHand").plain("maxPercent", &s.ByHandMaxPercent).
			amount("maxAmount", s.ByHandMaxAmount).done())
	}
	o.raw("hire", encodeHire(s.Hire)).amounts("rates", s.Rates, money.Rat.String)
	return o.done()
}

func encodeGuard(g *pricing.Guard) []byte {
	o := shapedObject("settings.guards")
	if g.Where != nil {
		o.raw("where", encodeWhere(g.Where))
	}
	o.plain("minMargin", &g.MinMargin)
	if g.Hold {
		o.text("action", "hold")
	}
	return o.plain("maxOff", g.MaxOff).done()
}

func encodeHire(h *pricing.HireTimes) []byte {
	if h == nil {
		return nil
	}
	o := shapedObject("hireTimes")
	if h.FreeFirstDayFrom != nil {
		o.text("freeFirstDayFrom", clockText(*h.FreeFirstDayFrom))
	}
	if h.FreeLastDayUntil != nil {
		o.text("freeLastDayUntil", clockText(*h.FreeLastDayUntil))
	}
	return o.done()
}

func clockText(m pricing.Moment) string {
	text := fmt.Sprintf("%02d:%02d", m/pricing.Hour, m%pricing.Hour/pricing.Minute)
	if seconds := m % pricing.Minute; seconds != 0 {
		text += fmt.Sprintf(":%02d", seconds)
	}
	return text
}

// EncodeCustomer writes a customer.
func EncodeCustomer(c *pricing.Customer) []byte {
	o := shapedObject("customer").text("code", c.Code).text("name", c.Name).texts("groups", c.Groups)
	if c.Attrs != nil {
		o.raw("attrs", marshal(c.Attrs))
	}
	return o.done()
}

// EncodeCampaign writes a campaign.
func EncodeCampaign(c *pricing.Campaign) []byte {
	o := shapedObject("campaign").text("code", c.Code).text("name", c.Name)
	if c.Status != pricing.On {
		o.text("status", string(c.Status))
	}
	return o.raw("window", encodeWindow(c.Window)).raw("audience", encodeAudience(c.Audience)).texts("channels",
		c.Channels).done()
}

// EncodeChannel writes a channel.
func EncodeChannel(c *pricing.Channel) []byte {
	o := shapedObject("channel").text("code", c.Code).text("name", c.Name).text("currency", c.Currency).text("group",
		c.Group).text("country", c.Country)
	if c.TaxExcluded != nil {
		o.text("tax", map[bool]string{true: "excluded", false: "included"}[*c.TaxExcluded])
	}
	if c.KeepsNet {
		o.text("keeps", "net")
	}
	o.raw("ending", encodeEnding(c.Ending))
	if c.Where != nil {
		o.raw("where", encodeWhere(c.Where))
	}
	if c.FeePercent.Sign() != 0 || c.FeeAmount.Sign() != 0 {
		o.raw("fee", shapedObject("channel.fee").plain("percent", &c.FeePercent).amount("amount", &c.FeeAmount).done())
	}
	o.raw("hire", encodeHire(c.Hire)).texts("can", c.Can)
	if l := c.Limits; l != nil {
		e := shapedObject("channel.limits").truth("wholeUnits", l.WholeUnits).
			plain("minOffPercent", l.MinOffPercent).plain("maxOffPercent",
			l.MaxOffPercent)
		if l.OffFromLowest30 {
			e.text("offFrom", "lowest30")
		}
		o.raw("limits", e.truth("needsReference", l.NeedsReference).plain("minRating", l.MinRating).plain("leadHours",
			l.LeadHours).
			texts("refusedWords", l.RefusedWords).truth("needsTerms", l.NeedsTerms).done())
	}
	return o.text("language", c.Language).done()
}

// EncodeProduct writes a product.
func EncodeProduct(p *pricing.Product) []byte {
	o := shapedObject("product").text("sku", p.SKU).text("name", p.Name).amount("list", p.List).
		amount("cost", p.Cost).amounts("costs",
		p.Costs, Amount).
		amount("rrp", p.RRP).amount("map", p.MAP).amounts("levels", p.Levels, Amount).amounts("listIn", p.ListIn, Amount).
		text("style", p.Style).text("category", p.Category).text("brand", p.Brand).text("supplier", p.Supplier).text("type",
		p.Type).texts("tags", p.Tags)
	if p.Attrs != nil {
		a := newObject()
		for _, name := range sortedKeys(p.Attrs) {
			if v := p.Attrs[name]; v.Quoted {
				a.raw(name, marshal(v.Text))
			} else {
				a.raw(name, []byte(v.Text))
			}
		}
		o.raw("attrs", a.done())
	}
	o.plain("stock", p.Stock).plain("rating", p.Rating).text("gtin", p.GTIN).text("taxClass", p.TaxClass).whole("minOrder",
		p.MinOrder, 0)
	if p.Unit != "each" {
		o.text("unit", p.Unit)
	}
	if p.Content != nil {
		o.raw("content", shapedObject("product.content").plain("amount", &p.Content.Amount).text("of", p.Content.Of).done())
	}
	o.raw("hire", encodeHire(p.Hire))
	list(o, "options", p.Options, func(e *pricing.Option) []byte {
		return shapedObject("product.options").text("code", e.Code).amount("price", &e.Price).text("part", e.Part).done()
	})
	o.plain("sold", p.Sold)
	list(o, "later", p.Later, EncodeFigures)
	return o.truth("onRequest", p.OnRequest).done()
}

// EncodeFigures writes what a product costs from a moment on.
func EncodeFigures(f *pricing.Figures) []byte {
	return shapedObject("figures").text("from", f.From.String()).amount("list", f.List).amount("cost", f.Cost).
		amounts("costs", f.Costs, Amount).amount("rrp", f.RRP).amount("map", f.MAP).amounts("levels", f.Levels, Amount).
		amounts("listIn", f.ListIn, Amount).done()
}

func sortedKeys[V any](m map[string]V) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	sort.Strings(keys)
	return keys
}

func encodeWhere(w *pricing.Where) []byte {
	o, key := shapedObject("whereEntering"), string(w.Field)
	switch w.Field {
	case pricing.FieldAll, pricing.FieldAny:
		o.raw(key, array(w.Parts, encodeWhere))
	case pricing.FieldNot:
		o.raw(key, encodeWhere(&w.Parts[0]))
	case pricing.FieldAttr:
		a := newObject()
		for _, name := range sortedKeys(w.Attrs) {
			if t := w.Attrs[name]; t.Bounds != nil {
				a.raw(name, encodeBounds(*t.Bounds))
			} else {
				a.raw(name, alternatives(t.Values))
			}
		}
		o.raw(key, a.done())
	case pricing.FieldList, pricing.FieldCost, pricing.FieldStock, pricing.FieldRating, pricing.FieldSold:
		o.raw(key, encodeBounds(w.Bounds))
	case pricing.FieldReduced:
		o.raw(key, marshal(w.Reduced))
	default:
		o.raw(key, alternatives(w.Values))
	}
	return o.done()
}

func encodeBounds(b pricing.Bounds) []byte {
	return shapedObject("bounds").plain("min", b.Min).plain("max", b.Max).done()
}

func alternatives(values []string) []byte {
	if len(values) == 1 {
		return marshal(values[0])
	}
	return marshal(append([]string{}, values...)) // an empty list is none of them, not null
}
