package intake

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"time"
	"unicode"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Format says how a file is written. What is found in its contents can be set otherwise by whoever brings it in.
type Format struct {
	Encoding  string `json:"encoding,omitempty" enum:"utf-8,utf-16,windows-1252" doc:"of a text file"`
	Separator string `json:"separator,omitempty" enum:"comma,semicolon,tab,bar" doc:"between the cells of a text file"`
	Header    int    `json:"header" minimum:"0" maximum:"20" doc:"the row that names the columns, from 1; 0: none does"`
	Decimal   string `json:"decimal,omitempty" enum:"point,comma" doc:"before the decimals of numbers; empty: nothing in the file says"`
	Dates     string `json:"dates,omitempty" enum:"year-first,day-first,month-first" doc:"the order of dates; empty: nothing in the file says"`
}

// The values of a format.
const (
	UTF8        = "utf-8"
	UTF16       = "utf-16"
	Windows1252 = "windows-1252"

	Point = "point"
	Comma = "comma"

	YearFirst  = "year-first"
	DayFirst   = "day-first"
	MonthFirst = "month-first"
)

// Number formats.

// currencySigns are those that name one currency; of "$", "kr" and the like many currencies make use.
var currencySigns = map[string]string{"€": "EUR", "£": "GBP", "₹": "INR", "₺": "TRY", "₴": "UAH", "₪": "ILS",
	"zł": "PLN", "Kč": "CZK", "Ft": "HUF"}

var manyCurrencies = []string{"kr.", "kr", "Fr.", "US$", "A$", "C$"}

// bare takes a currency's sign or code and a percent sign off a number.
func bare(cell string) (number, currency string, percent bool) {
	s := strings.TrimSpace(cell)
	if rest, is := strings.CutSuffix(s, "%"); is {
		s, percent = strings.TrimSpace(rest), true
	}
	negative := false
	sign := func() {
		for _, minus := range []string{"-", "−"} {
			if rest, is := strings.CutPrefix(s, minus); is && !negative {
				s, negative = strings.TrimSpace(rest), true
			}
		}
	}
	sign()
	if code, rest, is := currencyOf(s); is {
		s, currency = rest, code
	}
	s = strings.TrimFunc(s, func(r rune) bool { return unicode.Is(unicode.Sc, r) || unicode.IsSpace(r) })
	sign()
	if negative {
		s = "-" + s
	}
	return s, currency, percent
}

// currencyOf is the currency whose sign or code begins or ends a text, and the rest; a sign of many names none.
func currencyOf(s string) (code, rest string, is bool) {
	if len(s) > 3 {
		for _, at := range [][2]string{{s[:3], s[3:]}, {s[len(s)-3:], s[:len(s)-3]}} {
			if code := strings.ToUpper(at[0]); !strings.ContainsAny(code, "0123456789") {
				if _, known := money.Digits(code); known {
					return code, strings.TrimSpace(at[1]), true
				}
			}
		}
	}
	cut := func(mark string) (string, bool) {
		if rest, is := strings.CutPrefix(s, mark); is {
			return strings.TrimSpace(rest), true
		}
		rest, is := strings.CutSuffix(s, mark)
		return strings.TrimSpace(rest), is
	}
	for mark, code := range currencySigns {
		if rest, is := cut(mark); is {
			return code, rest, true
		}
	}
	for _, mark := range manyCurrencies {
		if rest, is := cut(mark); is {
			return "", rest, true
		}
	}
	return "", s, false
}

// Groups of three digits may be parted by a point, a comma, an apostrophe or a blank.
var grouped = regexp.MustCompile(`^-?[0-9]{1,3}([.,'’\s\x{a0}\x{202f}\x{2009}][0-9]{3})+$`)

// saysDecimal is what a number tells of its decimal mark: Point, Comma, "" for nothing, and whether it has a mark that
// could be either: "1,234".
func saysDecimal(number string) (mark string, either bool) {
	s := strings.TrimPrefix(number, "-")
	points, commas := strings.Count(s, "."), strings.Count(s, ",")
	last := strings.LastIndexAny(s, ".,")
	if last < 0 {
		return "", false
	}
	mark, other := Point, Comma
	if s[last] == ',' {
		mark, other = Comma, Point
	}
	switch {
	case points > 0 && commas > 0:
		return mark, false
	case points+commas > 1:
		return other, false // 1.234.567: the mark groups
	}
	whole, decimals := s[:last], s[last+1:]
	if len(decimals) != 3 || strings.ContainsAny(whole, "'’ \u00a0\u202f\u2009") || len(whole) > 3 || whole == "" ||
		whole[0] == '0' {
		return mark, false
	}
	return "", true
}

// FindDecimal is the decimal mark of numbers that are written alike; "" where nothing in them says. asks reports a
// number that could be read in two ways, while nothing else says in which.
func FindDecimal(cells func(yield func(string) bool)) (mark, asks string) {
	votes := map[string]int{}
	for cell := range cells {
		number, _, _ := bare(cell)
		if number == "" || !strings.ContainsAny(number[len(number)-1:], "0123456789") ||
			strings.ContainsFunc(number, unicode.IsLetter) {
			continue
		}
		said, either := saysDecimal(number)
		if said != "" {
			votes[said]++
		} else if either && asks == "" {
			asks = cell
		}
	}
	switch {
	case votes[Point] == 0 && votes[Comma] == 0:
		return "", asks
	case votes[Comma] > votes[Point]:
		return Comma, ""
	}
	return Point, ""
}

// numberError says why a cell is no number.
type numberError struct{ Problem string }

func (e *numberError) Error() string { return e.Problem }

// plain reads a number as a plain decimal: its currency and its grouping gone, a point before the decimals.
func (f *Format) plain(cell, bookCurrency string) (string, error) {
	number, currency, percent := bare(cell)
	if percent {
		return "", &numberError{"is a percent, not an amount"}
	}
	if strings.ContainsAny(number, "0123456789") && currency != "" && bookCurrency != "" && currency != bookCurrency {
		return "", &numberError{fmt.Sprintf("is in %s; the amounts of the book are in %s", currency, bookCurrency)}
	}
	mark := f.Decimal
	if mark == "" {
		if said, either := saysDecimal(number); either {
			return "", &numberError{"can be read in two ways; say above which mark comes before the decimals"}
		} else if said != "" {
			mark = said
		} else {
			mark = Point
		}
	}
	as := Format{Decimal: mark}
	if text, ok := as.digits(cell); ok {
		return text, nil
	}
	return "", f.wrong(cell, mark)
}

// digits are a number's with a point before the decimals and without its grouping; false where it is not written like
// that.
func (f *Format) digits(cell string) (string, bool) {
	number, _, _ := bare(cell)
	decimal, group := ".", ","
	if f.Decimal == Comma {
		decimal, group = ",", "."
	}
	whole, decimals, has := strings.Cut(number, decimal)
	if strings.Contains(decimals, group) || strings.Contains(decimals, decimal) {
		return "", false
	}
	if strings.ContainsAny(whole, ".,'’ \u00a0\u202f\u2009") {
		if !grouped.MatchString(whole) {
			return "", false
		}
		whole = strings.Map(func(r rune) rune {
			if r == '-' || r >= '0' && r <= '9' {
				return r
			}
			return -1
		}, whole)
	}
	if has {
		return whole + "." + decimals, true
	}
	return whole, true
}

// wrong words what is wrong with a number; one that is written with the other mark says so.
func (f *Format) wrong(cell, mark string) error {
	other := Format{Decimal: Comma}
	if mark == Comma {
		other.Decimal = Point
	}
	if text, ok := other.digits(cell); ok && f.Decimal != "" {
		if _, err := money.Parse(text); err == nil {
			return &numberError{fmt.Sprintf("has a decimal %s, unlike the rest of the file", other.Decimal)}
		}
	}
	if mark == Comma {
		return &numberError{"is not a number such as 19,99 or 1.234,56"}
	}
	return &numberError{"is not a number such as 19.99 or 1,234.56"}
}

// number reads a cell as a decimal that is not negative, within the bounds of amounts.
func (f *Format) number(cell, bookCurrency string) (money.Rat, error) {
	plain, err := f.plain(cell, bookCurrency)
	if err != nil {
		return money.Rat{}, err
	}
	n, err := money.Parse(plain)
	if err != nil {
		return n, f.wrong(cell, f.Decimal)
	}
	if n.Sign() < 0 {
		return n, &numberError{"must not be negative"}
	}
	if !n.Less(money.Int(1_000_000_000_000_000)) {
		return n, &numberError{"must have at most 15 digits before the point"}
	}
	return n, nil
}

// Dates.

var (
	isoDate   = regexp.MustCompile(`^([0-9]{4})[-/.]([0-9]{1,2})[-/.]([0-9]{1,2})(?:[T ]+(.*))?$`)
	otherDate = regexp.MustCompile(`^([0-9]{1,2})([-/. ])([0-9]{1,2})[-/. ]+([0-9]{4}|[0-9]{2})(?:[T, ]+(.*))?$`)
	timeOfDay = regexp.MustCompile(`^([0-9]{1,2})[:.h]([0-9]{2})(?::([0-9]{2})(?:\.0+)?)?\s*(?i:(am|pm)|uhr|h|z)?$`)
)

// saysDates is the order that a date tells: "" for none, and whether it could be day or month first.
func saysDates(cell string) (order string, either bool) {
	s := strings.TrimSpace(cell)
	if isoDate.MatchString(s) {
		return YearFirst, false
	}
	m := otherDate.FindStringSubmatch(s)
	if m == nil {
		return "", false
	}
	first, _ := strconv.Atoi(m[1])
	second, _ := strconv.Atoi(m[3])
	switch {
	case first > 12 || m[2] == ".": // nobody writes the month first with points
		return DayFirst, false
	case second > 12:
		return MonthFirst, false
	}
	return "", true
}

// FindDates is the order of dates that are written alike; "" where nothing says. asks reports one that could be read in
// two ways, while nothing else says in which.
func FindDates(cells func(yield func(string) bool)) (order, asks string) {
	votes := map[string]int{}
	for cell := range cells {
		said, either := saysDates(cell)
		if said != "" {
			votes[said]++
		} else if either && asks == "" {
			asks = cell
		}
	}
	for _, o := range []string{DayFirst, MonthFirst} {
		if votes[o] > 0 && votes[o] >= votes[DayFirst]+votes[MonthFirst]-votes[o] {
			return o, ""
		}
	}
	if asks != "" {
		return "", asks
	}
	if votes[YearFirst] > 0 {
		return YearFirst, ""
	}
	return "", ""
}

const notADate = "is not a date such as 2026-11-27 or 27.11.2026 10:00"

// date reads a date, or a date and a time.
func (f *Format) date(cell string) (pricing.Moment, error) {
	s := strings.TrimSpace(cell)
	year, month, day, clock := "", "", "", ""
	if m := isoDate.FindStringSubmatch(s); m != nil {
		year, month, day, clock = m[1], m[2], m[3], m[4]
	} else if m := otherDate.FindStringSubmatch(s); m != nil {
		order := f.Dates
		if said, either := saysDates(s); order == "" || order == YearFirst {
			if either {
				return 0, &numberError{"can be read in two ways; say above whether the day or the month comes first"}
			}
			order = said
		}
		day, month, year, clock = m[1], m[3], m[4], m[5]
		if order == MonthFirst {
			day, month = month, day
		}
		if len(year) == 2 {
			year = "20" + year
		}
	} else {
		return 0, &numberError{notADate}
	}
	hour, minute, second := 0, 0, 0
	if clock = strings.TrimSpace(clock); clock != "" {
		m := timeOfDay.FindStringSubmatch(clock)
		if m == nil {
			return 0, &numberError{notADate}
		}
		hour, _ = strconv.Atoi(m[1])
		minute, _ = strconv.Atoi(m[2])
		second, _ = strconv.Atoi(m[3])
		if half := strings.ToLower(m[4]); half != "" {
			if hour < 1 || hour > 12 {
				return 0, &numberError{notADate}
			}
			if hour %= 12; half == "pm" {
				hour += 12
			}
		}
	}
	y, _ := strconv.Atoi(year)
	mo, _ := strconv.Atoi(month)
	d, _ := strconv.Atoi(day)
	t := time.Date(y, time.Month(mo), d, hour, minute, second, 0, time.UTC)
	if t.Year() != y || t.Month() != time.Month(mo) || t.Day() != d || hour > 23 || minute > 59 || second > 59 {
		return 0, &numberError{"does not exist: " + fmt.Sprintf("day %d, month %d, year %d", d, mo, y)}
	}
	return pricing.Moment(t.Unix()), nil
}
