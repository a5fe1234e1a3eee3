package bulk

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

// Copies are copies of rules, or of a campaign with all of its rules, for another time.
type Copies struct {
	Rules    []string `json:"rules,omitempty" doc:"codes; a campaign with dates is copied along with its rules"`
	Campaign string   `json:"campaign,omitempty" doc:"the code of a campaign, instead of rules"`
	By       string   `json:"by" enum:"year,week,days" doc:"year: 52 weeks, so that each weekday stays one"`
	Days     int      `json:"days,omitempty" minimum:"-4000" maximum:"4000" doc:"with days: by so many"`
}

// yearOn is one year on, on the same weekday: the day 52 weeks later is the nearest of its name to the same date.
const yearOn = 52 * pricing.Week

func (c *Copies) shift() pricing.Moment {
	switch c.By {
	case "year":
		return yearOn
	case "week":
		return pricing.Week
	}
	return pricing.Moment(c.Days) * pricing.Day
}

// Copy is a piece that is made like another one.
type Copy struct {
	book.Change
	Name, Of string          // Of is the code of that other one
	From, To *pricing.Moment // of its own window
	Undated  bool            // it has no dates that could be moved: the copy holds whenever the other one does
}

// Plan are the pieces to be made, campaigns before the rules that name them. Its error is an *book.InvalidError.
func (c *Copies) Plan(b *pricing.Book) ([]Copy, error) {
	by := c.shift()
	if by == 0 {
		return nil, book.Invalid("days", "Write by how many days, such as 7 or -1.")
	}
	codes := map[string]bool{}
	for i := range b.Rules {
		codes[b.Rules[i].Code] = true
	}
	for i := range b.Campaigns {
		codes[b.Campaigns[i].Code] = true
	}
	var list []Copy
	campaigns := map[string]string{} // code → that of its copy
	campaign := func(code string) (string, error) {
		if copied, done := campaigns[code]; done {
			return copied, nil
		}
		i := slices.IndexFunc(b.Campaigns, func(o pricing.Campaign) bool { return o.Code == code })
		if i < 0 {
			return "", book.Invalid("campaign", fmt.Sprintf("There is no campaign %s.", code))
		}
		next := b.Campaigns[i]
		var dated bool
		if next.Window, dated = shifted(next.Window, by); !dated && code != c.Campaign {
			campaigns[code] = code // one without dates serves the copies too
			return code, nil
		}
		from := startOf(next.Window)
		next.Name, next.Code = c.named(next.Name, from), c.coded(next.Code, from, codes)
		campaigns[code] = next.Code
		one := Copy{Change: book.Change{Kind: book.Campaigns, Code: next.Code, After: bookfile.EncodeCampaign(&next)},
			Name: cmp.Or(next.Name, next.Code), Of: code, Undated: !dated}
		one.From, one.To = endsOf(next.Window)
		list = append(list, one)
		return next.Code, nil
	}
	rules := c.Rules
	if c.Campaign != "" {
		if _, err := campaign(c.Campaign); err != nil {
			return nil, err
		}
		rules = nil
		for i := range b.Rules {
			if b.Rules[i].Campaign == c.Campaign {
				rules = append(rules, b.Rules[i].Code)
			}
		}
	}
	for _, code := range rules {
		i := slices.IndexFunc(b.Rules, func(r pricing.Rule) bool { return r.Code == code })
		if i < 0 {
			return nil, book.Invalid("rules", fmt.Sprintf("There is no rule %s.", code))
		}
		r := &b.Rules[i]
		next := *r
		var dated, moves bool
		next.Window, dated = shifted(next.Window, by)
		if r.Campaign != "" {
			var err error
			if next.Campaign, err = campaign(r.Campaign); err != nil {
				return nil, err
			}
			moves = next.Campaign != r.Campaign
		}
		from := startOf(next.Window)
		if from == nil && moves { // it begins with its campaign
			for _, one := range list {
				if one.Code == next.Campaign {
					from = one.From
				}
			}
		}
		next.Name, next.Code = c.named(next.Name, from), c.coded(next.Code, from, codes)
		one := Copy{Change: book.OfRule(nil, &next), Name: next.Title(), Of: r.Code, Undated: !dated && !moves}
		one.From, one.To = endsOf(next.Window)
		list = append(list, one)
	}
	return list, nil
}

// shifted is a window with both of its ends moved; false where it has none. What repeats in it goes on as it is.
func shifted(w *pricing.Window, by pricing.Moment) (*pricing.Window, bool) {
	if w == nil || w.From == nil && w.To == nil {
		return w, false
	}
	next := *w
	for _, end := range []**pricing.Moment{&next.From, &next.To} {
		if *end != nil {
			moved := **end + by
			*end = &moved
		}
	}
	return &next, true
}

func endsOf(w *pricing.Window) (from, to *pricing.Moment) {
	if w == nil {
		return nil, nil
	}
	return w.From, w.To
}

// startOf is the first moment of a window, or its last where it has no first.
func startOf(w *pricing.Window) *pricing.Moment {
	from, to := endsOf(w)
	return cmp.Or(from, to)
}

var (
	yearIn  = regexp.MustCompile(`\b20\d\d\b`)
	dateEnd = regexp.MustCompile(`, \d{1,2} [A-Z][a-z]{2}$`)
	copyEnd = regexp.MustCompile(`-(20\d\d|(0\d|1[0-2])[0-3]\d|copy)(-\d+)?$`) // of the code of a copy
)

// named is what a copy is called: by the year that it begins in where it is one year on, else by its first day.
func (c *Copies) named(name string, from *pricing.Moment) string {
	if name == "" || from == nil {
		return name
	}
	year := from.String()[:4]
	switch {
	case c.By != "year":
		return dateEnd.ReplaceAllString(name, "") + ", " + from.Format("2 Jan")
	case yearIn.MatchString(name):
		return yearIn.ReplaceAllStringFunc(name, func(was string) string {
			n, err := strconv.Atoi(was)
			if err != nil {
				return was
			}
			return strconv.Itoa(n + 1)
		})
	}
	return dateEnd.ReplaceAllString(name, "") + " " + year
}

const longestCode = 100

// coded is a code that is not taken yet, and takes it: the other one's with the year or the day in it.
func (c *Copies) coded(code string, from *pricing.Moment, taken map[string]bool) string {
	suffix := "copy"
	if from != nil {
		suffix = from.String()[:4]
		if c.By != "year" {
			suffix = from.Format("0102")
		}
	}
	base := copyEnd.ReplaceAllString(code, "")
	next := ""
	for n := 1; next == "" || taken[next]; n++ {
		end := "-" + suffix
		if n > 1 {
			end += "-" + strconv.Itoa(n)
		}
		next = strings.TrimRight(base[:min(len(base), longestCode-len(end))], "-") + end
	}
	taken[next] = true
	return next
}

// Along are the changes that take the rules of a campaign along when it is moved: those with dates of their own that
// lie in its days, all by as much as its beginning is moved.
func Along(b *pricing.Book, campaign string, from pricing.Moment) ([]book.Change, error) {
	i := slices.IndexFunc(b.Campaigns, func(c pricing.Campaign) bool { return c.Code == campaign })
	if i < 0 {
		return nil, book.ErrNotFound
	}
	begin, end := endsOf(b.Campaigns[i].Window)
	if begin == nil || *begin == from {
		return nil, nil
	}
	var changes []book.Change
	for k := range b.Rules {
		r := &b.Rules[k]
		first, last := endsOf(r.Window)
		lies := first != nil && *first >= *begin && (end == nil || *first < *end) ||
			first == nil && last != nil && *last > *begin
		if r.Campaign != campaign || !lies || end != nil && last != nil && *last > *end {
			continue
		}
		next := *r
		next.Window, _ = shifted(r.Window, from-*begin)
		changes = append(changes, book.OfRule(r, &next))
	}
	return changes, nil
}
