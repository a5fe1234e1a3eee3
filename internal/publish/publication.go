package publish

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/publish/pieces"
	"dogbane/internal/publish/telling"
)

// State is where a publication stands.
type State string

// The states.
const (
	Prepared State = "prepared" // built, looked at
	Waiting  State = "waiting"  // for a second person
	Queued   State = "queued"   // will be sent as soon as the one before it has ended
	Sending  State = "sending"  // parts are going out, or the channel reviews them
	Done     State = "done"     // every line was taken
	Partly   State = "partly"   // some lines were refused or not answered
	Failed   State = "failed"   // nothing was taken
	Declined State = "refused"  // by the second person
	Dropped  State = "dropped"  // before it was sent
)

// following are the states that may follow a state: the one table of what may become of a publication. A late answer
// may still change how one has ended.
var following = map[State][]State{
	Prepared: {Waiting, Queued, Dropped},
	Waiting:  {Queued, Declined, Dropped},
	Queued:   {Sending, Dropped},
	Sending:  {Done, Partly, Failed},
	Partly:   {Done, Partly},
	Failed:   {Done, Partly},
}

// May reports whether a state may follow.
func (s State) May(next State) bool { return slices.Contains(following[s], next) }

// Before are the states from which one may be reached.
func (s State) Before() (list []State) {
	for from := range following {
		if from.May(s) {
			list = append(list, from)
		}
	}
	return list
}

// Ended reports whether nothing is sent any more.
func (s State) Ended() bool { return !slices.Contains([]State{Prepared, Waiting, Queued, Sending}, s) }

// PublicationKind is why there is a publication.
type PublicationKind string

// The kinds.
const (
	ByHand   PublicationKind = "by-hand"
	Due      PublicationKind = "due"       // a moment has come at which lines differ by themselves
	TakeBack PublicationKind = "take-back" // what the channel showed before another one
	Rest     PublicationKind = "rest"      // what was not taken of another one
)

// Brings is what a publication brings into the book that is published in its channel.
type Brings string

// What may be brought.
const (
	BringsNothing Brings = ""
	BringsPieces  Brings = "pieces"
	BringsBook    Brings = "book" // its whole version
	BringsNone    Brings = "none" // nothing is published any more
)

// Publication is what one channel is told at one time: built from one version of the book for one moment.
type Publication struct {
	ID        int64
	Channel   string
	Version   int64
	At        pricing.Moment
	Prepared  time.Time
	Ended     *time.Time
	Who       string
	Kind      PublicationKind
	Of        int64 // the publication that it takes back, or the rest of; 0: none
	Whole     bool
	Brings    Brings
	Brought   *pieces.Brought // while it is prepared; it is kept apart
	State     State
	Problem   string
	DecidedBy string
	Reason    string // why it was refused, or what whoever agreed said
	Note      string // from whoever sent it to whoever decides
	Sent      *time.Time
	Named     Named
	Rules     telling.RuleChanges
	Parts     int
	Counts    Counts
}

// Named is what is said with a publication.
type Named struct {
	Passed      []string          `json:"passed,omitempty"`      // moments that were passed over
	Unpublished int               `json:"unpublished,omitempty"` // lines whose edits wait for a publication by hand
	Overrides   map[string]string `json:"overrides,omitempty"`   // by blocked piece, why it goes all the same
	Effective   string            `json:"effective,omitempty"`   // when the channel shows it; "": at once
	Pieces      []NamedPiece      `json:"pieces,omitempty"`      // that it brings
	Worth       *WorthText        `json:"worth,omitempty"`       // of what is sent
	// Decided is what was decided, by SKU, of lines that differ later; Redecide are SKUs of which nothing decided before
	// holds any more, as what is brought reaches them.
	Decided  map[string]Decision `json:"decided,omitempty"`
	Redecide []string            `json:"redecide,omitempty"`
}

// Decision is what becomes of a line at the moments at which it differs by itself.
type Decision struct {
	Reason string         `json:"reason,omitempty"` // why it goes although it is blocked then; "": it is left out
	Until  pricing.Moment `json:"until"`            // the last of those moments
}

// NamedPiece is a piece that a publication brings, as its history tells it.
type NamedPiece struct {
	Piece  string        `json:"piece"`
	Name   string        `json:"name"`
	Change pieces.Change `json:"change" enum:"new,changed,gone"`
	Lines  int           `json:"lines,omitempty" doc:"prices that it reached and that changed then"`
	Later  []NamedLater  `json:"later,omitempty" doc:"when it makes others, as far as was known then"`
}

// NamedLater is how many lines a piece makes others at a later moment.
type NamedLater struct {
	At      string `json:"at"`
	Lines   int    `json:"lines"`
	Blocked int    `json:"blocked,omitempty" doc:"of them: left out then, unless a reason is given"`
}

// Counts say what became of a publication's lines. Held and left-out ones are counted in LeftOut alone.
type Counts struct{ Total, Taken, Refused, Unanswered, LeftOut int }

// Outcome is the state in which a publication with these counts has ended.
func (c Counts) Outcome() State {
	switch {
	case c.Taken == c.Total:
		return Done
	case c.Taken == 0:
		return Failed
	}
	return Partly
}

// Answer is what became of a line; "" until that is known.
type Answer string

// The answers.
const (
	Taken      Answer = "taken"
	Refused    Answer = "refused"
	Unanswered Answer = "unanswered" // nobody knows what the channel shows
	LeftOut    Answer = "left-out"   // it was not sent, and is not until it becomes another or somebody takes that back
	NotChosen  Answer = "not-chosen" // it was not sent this time; it is no part of the publication
	Held       Answer = "held"       // it was taken back and is not sent until it is released
)

// Row is one product in a publication.
type Row struct {
	SKU                   string
	Kind                  Kind
	Was, Price, Reference *money.Rat
	Currency              string
	Line                  []byte // as it travels; nil: the product is no longer shown
	Digest                *telling.Digest
	Begun                 telling.Begun
	Blocked               []flags.Kind
	Left                  telling.Digest // of its prices and what blocks it, while it is left out
	Override              string         // the reason given for sending a blocked line
	Part                  int
	Answer                Answer
	Message               string
}

// Goes reports whether a row is sent.
func (r *Row) Goes() bool { return r.Answer != LeftOut && r.Answer != Held && r.Answer != NotChosen }

// Going is a row that is sent, as it travels.
type Going struct {
	SKU  string
	Line []byte // nil: the product is no longer shown
	Part int
}

// Span is a price that a channel showed for a time; a nil price says that it showed none.
type Span struct {
	Price, Reference *money.Rat
	Currency         string
	From             time.Time
	Until            *time.Time
	Publication      int64
}

// Errors of what cannot be done.
var (
	ErrUnlinked  = errors.New("nothing says how this channel is reached")
	ErrNothing   = errors.New("there is nothing to send")
	ErrStale     = errors.New("the book has changed since, or a moment has passed")
	ErrState     = errors.New("the publication is not in a state for that")
	ErrNotOwn    = errors.New("whoever prepared a publication withdraws it, nobody else")
	ErrOwn       = errors.New("whoever prepared a publication does not decide on it")
	ErrForgotten = errors.New("the book of that publication is not kept any more")
	ErrOlder     = errors.New("a newer publication to this channel is on its way")
)

// Undecided says which blocked lines are neither overridden nor left out.
type Undecided struct{ SKUs []string }

func (u *Undecided) Error() string {
	return fmt.Sprintf("%d prices are blocked: give a reason for each, or leave it out", len(u.SKUs))
}

// ChannelState is what there is to know of a channel as a whole.
type ChannelState struct {
	Revision int64           // rises with everything that changes what it shows, or what is known of that
	Version  int64           // of the last publication by hand of which anything was taken; 0: none
	Base     int64           // the kept book that the published one began as; 0: nothing is published there
	Book     int64           // rises with everything that changes the published book
	DueAfter *pricing.Moment // due moments up to it are dealt with; nil: none is known
	Compared *time.Time
}

// ShownLine is what a channel shows for a product, whole.
type ShownLine struct {
	telling.Shown
	Line json.RawMessage // nil: it was taken before whole lines were kept
}

// Stopped says that somebody stopped a publication while it was sent.
type Stopped struct{ By string }

func (s *Stopped) Error() string { return "It was stopped by " + s.By + "." }

// ErrLost says that a publication is not the caller's to send any more.
var ErrLost = errors.New("another instance sends this publication")

// Reply is what a channel says to one line.
type Reply struct {
	Taken   bool
	Message string
}

// LinesPerPart is how many lines a part has at most, those that remove goods counted in.
const LinesPerPart = 1000

// Part is how far a part has come.
type Part struct {
	Number      int
	Answered    bool
	FirstTried  *time.Time
	ToldToWait  time.Duration // by Retry-After, which does not count
	NotBefore   *time.Time
	Review      string // where the channel tells what it made of it; "": it does not review it
	ReviewSince *time.Time
}
