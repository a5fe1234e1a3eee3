package publish

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"time"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Link is how a channel is reached: a kind of transport with its address. A token opens it.
type Link struct{ Channel, Kind, Address, Token string }

// ToldTags says whether the channel is told of live tags: files of prices have no place for them.
func (l Link) ToldTags() bool { return l.Kind == "http" }

// Page is where people see the prices of a channel that is reached over HTTP, or "".
func (l Link) Page() string {
	u, err := url.Parse(l.Address)
	if l.Kind != "http" || err != nil {
		return ""
	}
	return u.Scheme + "://" + u.Host + "/"
}

// Shown is what a channel shows for a product.
type Shown struct {
	SKU       string
	Price     money.Rat
	Reference *money.Rat // the price it is reduced from
	Currency  string
	Tags      pricing.LiveTags // with it
	From      time.Time
}

// Span is a price that a channel showed for a time; a nil price says that it showed none.
type Span struct {
	Price, Reference *money.Rat
	Currency         string
	From             time.Time
	Until            *time.Time
	Publication      int64
}

// State is where a publication stands.
type State string

// The states.
const (
	Sending   State = "sending"
	Done      State = "done"       // every row was taken
	Partly    State = "partly"     // some rows were refused or not answered
	Failed    State = "failed"     // nothing was answered
	BrokenOff State = "broken-off" // the program ended meanwhile
)

// following are the states that may follow a state.
var following = map[State][]State{Sending: {Done, Partly, Failed, BrokenOff}}

// Publication is one sending of prices to one channel.
type Publication struct {
	ID       int64
	Channel  string
	Version  int64
	PricedAt time.Time // wall clock of the book
	Started  time.Time
	Ended    *time.Time
	Who      string
	Status   State
	Problem  string
}

// to brings the publication into another state.
func (p *Publication) to(next State) error {
	if !slices.Contains(following[p.Status], next) {
		return fmt.Errorf("publication %d is %s and cannot be %s", p.ID, p.Status, next)
	}
	p.Status = next
	return nil
}

// Answers of a row; "" until the channel has answered.
const (
	Taken   = "taken"
	Refused = "refused"
	Missing = "failed" // the channel did not answer it
)

// Row is one product's price in a publication.
type Row struct {
	SKU                   string
	Kind                  Kind
	Was, Price, Reference *money.Rat
	Currency              string
	Tags                  pricing.LiveTags
	Override              string // the reason given for sending a blocked row
	Answer, Message       string
}

// Counts say how many rows a publication has, how many were answered, and how many of those not taken.
type Counts struct{ Rows, Answered, Refused int }

// ErrBusy says that a publication to the channel is under way.
var ErrBusy = errors.New("a publication to this channel is under way")

// Keeper keeps publications and what channels show.
type Keeper interface {
	Links(ctx context.Context) (map[string]Link, error)
	// Shown is everything that a channel shows, by SKU.
	Shown(ctx context.Context, channel string) (map[string]Shown, error)
	// StartPublication keeps a publication before anything is sent; one at a time per channel, else ErrBusy.
	StartPublication(ctx context.Context, p *Publication, rows []Row) error
	// AnswerRows keeps what a channel answered to some rows, and for those it took the price that it shows from then on.
	AnswerRows(ctx context.Context, p *Publication, rows []Row, at time.Time) error
	EndPublication(ctx context.Context, p *Publication) error
}
