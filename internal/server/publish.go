package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/book"
	"dogbane/internal/checks"
	"dogbane/internal/money"
	"dogbane/internal/publish"
	"dogbane/internal/publish/pieces"
	"dogbane/internal/store"
)

// PublicationAnswer is a publication.
type PublicationAnswer struct {
	ID         int64                `json:"id"`
	Channel    string               `json:"channel"`
	Version    int64                `json:"version"`
	At         string               `json:"at" doc:"the moment for which it was built"`
	Who        string               `json:"who"`
	State      string               `json:"state" enum:"prepared,waiting,queued,sending,done,partly,failed,refused,dropped"`
	Problem    string               `json:"problem,omitempty"`
	Kind       string               `json:"kind" enum:"by-hand,due,take-back,rest"`
	Of         int64                `json:"of,omitempty" doc:"the publication that it takes back, or is the rest of"`
	Prepared   string               `json:"prepared"`
	Sent       string               `json:"sent,omitempty" doc:"when somebody sent it"`
	Ended      string               `json:"ended,omitempty"`
	DecidedBy  string               `json:"decidedBy,omitempty"`
	Reason     string               `json:"reason,omitempty" doc:"why it was refused"`
	Note       string               `json:"note,omitempty" doc:"to or from whoever decides"`
	Passed     []string             `json:"passed,omitempty" doc:"moments that were passed over"`
	Effective  string               `json:"effective,omitempty" doc:"from when on the channel shows it; absent: at once"`
	Pieces     []publish.NamedPiece `json:"pieces,omitempty" doc:"what it brings into the published book"`
	Brings     string               `json:"brings,omitempty" enum:"pieces,book,none" doc:"pieces, the whole book, or that there is none any more"`
	With       []string             `json:"with,omitempty" doc:"pieces that came along, as a chosen one needs them"`
	Overrides  map[string]string    `json:"overrides,omitempty" doc:"reason by blocked offer"`
	Planned    []PlannedLine        `json:"planned,omitempty" doc:"what was decided of lines that differ later, the first of them"`
	Lines      int                  `json:"lines" doc:"that are sent"`
	Taken      int                  `json:"taken"`
	Refused    int                  `json:"refused"`
	Unanswered int                  `json:"unanswered"`
	LeftOut    int                  `json:"leftOut" doc:"left out or held back"`
	Rules      int                  `json:"rules" doc:"that go along or are withdrawn"`
	Worth      *publish.WorthText   `json:"worth,omitempty" doc:"of one that was prepared by hand"`
	Answers    []RowAnswer          `json:"answers,omitempty"`
	Next       string               `json:"next,omitempty"`
}

// PlannedLine is what was decided of a line for the moments at which it differs by itself.
type PlannedLine struct {
	SKU      string `json:"sku"`
	Name     string `json:"name"`
	Override string `json:"override,omitempty" doc:"why it goes although it is blocked then; absent: it is left out"`
	Until    string `json:"until" doc:"the last of those moments"`
}

// mostPlanned bounds how many such decisions are told.
const mostPlanned = 200

// RowAnswer is what became of one line.
type RowAnswer struct {
	SKU       string   `json:"sku"`
	Name      string   `json:"name"`
	Kind      string   `json:"kind"`
	Was       *string  `json:"was"`
	Price     *string  `json:"price"`
	Reference *string  `json:"reference"`
	Override  string   `json:"override,omitempty" doc:"the reason given for a blocked line"`
	Blocked   []string `json:"blocked,omitempty" doc:"kinds of trouble that it had when it was prepared"`
	Answer    string   `json:"answer,omitempty" enum:"taken,refused,unanswered,left-out,held"`
	Message   string   `json:"message,omitempty"`
}

// PublicationOrder is what is to be sent.
type PublicationOrder struct {
	Version   int64             `json:"version" doc:"of the differences that were looked at"`
	Overrides map[string]string `json:"overrides,omitempty" doc:"reason by SKU or piece, for what is blocked"`
	LeaveOut  LeaveOut          `json:"leaveOut,omitempty" doc:"SKUs that are left out from now on, or \"blocked\": all that is blocked"`
	Only      *Only             `json:"only,omitempty" doc:"what is sent, where not all"`
	Whole     bool              `json:"whole,omitempty" doc:"everything is told again"`
}

// Only is a choice; an empty one is a choice of nothing.
type Only struct {
	Pieces *[]string `json:"pieces,omitempty" doc:"that are brought: \"rule GLAZE-WEEK\", \"product GB-01\", \"edit 812\""`
	SKUs   *[]string `json:"skus,omitempty" doc:"lines that are sent; the others stay as they are"`
	Loose  *bool     `json:"loose,omitempty" doc:"whether lines go that no chosen piece reaches; absent: they do, where lines are not named"`
	// Without is for a page that knows some rows of many.
	Without []string `json:"without,omitempty" doc:"SKUs of lines that are not sent this time, where all others are"`
}

// LeaveOut is SKUs, or all that is blocked.
type LeaveOut struct {
	SKUs    []string
	Blocked bool
}

// UnmarshalJSON reads a list or the word "blocked".
func (l *LeaveOut) UnmarshalJSON(data []byte) error {
	var word string
	if json.Unmarshal(data, &word) == nil && word == "blocked" {
		l.Blocked = true
		return nil
	}
	if err := json.Unmarshal(data, &l.SKUs); err != nil {
		return errors.New("must be a list of SKUs, or \"blocked\"")
	}
	return nil
}

// MarshalJSON writes what it read.
func (l LeaveOut) MarshalJSON() ([]byte, error) {
	if l.Blocked {
		return []byte(`"blocked"`), nil
	}
	return json.Marshal(l.SKUs)
}

// Schema is either.
func (LeaveOut) Schema(huma.Registry) *huma.Schema {
	return &huma.Schema{OneOf: []*huma.Schema{{Type: "array", Items: &huma.Schema{Type: "string"}},
		{Type: "string", Enum: []any{"blocked"}}}}
}

// SendForm sends what was prepared, with a note to whoever decides.
type SendForm struct {
	Note string `json:"note,omitempty" maxLength:"500"`
}

func (f *SendForm) note() string {
	if f == nil {
		return ""
	}
	return strings.TrimSpace(f.Note)
}

// PublicationList is publications, the newest first.
type PublicationList struct {
	Publications []PublicationAnswer `json:"publications"`
	Next         int64               `json:"next,omitempty" doc:"for before: the next page's"`
}

// PriceHistory is what a channel showed for a product.
type PriceHistory struct {
	Spans []PriceSpan `json:"spans" doc:"newest first"`
}

// ShownLines are what a channel shows, a page of it.
type ShownLines struct {
	Lines []ShownLine `json:"lines"`
	Next  string      `json:"next,omitempty"`
}

// ShownLine is what a channel shows of a product.
type ShownLine struct {
	SKU         string  `json:"sku"`
	Price       string  `json:"price"`
	Reference   *string `json:"reference,omitempty"`
	Currency    string  `json:"currency"`
	Since       string  `json:"since"`
	Publication int64   `json:"publication"`
}

// longestReason is how many characters a reason may have.
const longestReason = 500

// ChannelQuery names a channel.
type ChannelQuery struct {
	Channel string `path:"channel"`
}

// PublishQuery prepares a publication.
type PublishQuery struct {
	ChannelQuery
	Body PublicationOrder
}

// PublicationQuery names a publication.
type PublicationQuery struct {
	ID int64 `path:"id"`
}

// Reason is why something is refused.
type Reason struct {
	Reason string `json:"reason"`
}

// SKUList is some products.
type SKUList struct {
	SKUs   []string `json:"skus,omitempty" maxItems:"200000"`
	Pieces []string `json:"pieces,omitempty" maxItems:"200000" doc:"of what is held back; with their lines"`
}

// ChannelSKUs is some products in a channel.
type ChannelSKUs struct {
	ChannelQuery
	Body SKUList
}

func (s *Server) registerPublish(api huma.API) {
	get(api, "/api/channels/{channel}/differences", s.channelDifferences)
	answers(api, store.Manager, http.MethodPost, "/api/channels/{channel}/publications", s.preparePublication,
		answering(http.StatusCreated), upTo(largestEdit))
	get(api, "/api/publications", func(ctx context.Context, in *struct {
		Channel string `query:"channel"`
		Before  int64  `query:"before" doc:"older ones than this number"`
	}) (PublicationList, error) {
		const page = 50
		list, err := s.Store.Publications(ctx, in.Channel, in.Before, page)
		out := PublicationList{Publications: []PublicationAnswer{}}
		for i := range list {
			out.Publications = append(out.Publications, s.publicationAnswer(&list[i]))
		}
		if len(list) == page {
			out.Next = list[page-1].ID
		}
		return out, err
	})
	get(api, "/api/publications/{id}", s.publication)
	decides := func(role store.Role, what string, status int, do func(ctx context.Context, snap *book.Snapshot, id int64,
		who string) (publish.Publication, error)) {
		answers(api, role, http.MethodPost, "/api/publications/{id}/"+what, func(ctx context.Context,
			in *PublicationQuery) (PublicationAnswer, error) {
			p, err := do(ctx, s.newest(ctx), in.ID, personOf(ctx).Name)
			return s.publicationAnswer(&p), err
		}, answering(status))
	}
	answers(api, store.Manager, http.MethodPost, "/api/publications/{id}/send", s.sendPublication,
		answering(http.StatusAccepted))
	answers(api, store.Approver, http.MethodPost, "/api/publications/{id}/approve", s.approvePublication,
		answering(http.StatusAccepted))
	decides(store.Manager, "stop", http.StatusOK, s.stopPublication)
	decides(store.Manager, "take-back", http.StatusCreated, s.Desk.TakeBack)
	decides(store.Manager, "rest", http.StatusCreated, s.Desk.Rest)
	answers(api, store.Approver, http.MethodPost, "/api/publications/{id}/refuse", s.refusePublication)
	does(api, store.Manager, http.MethodDelete, "/api/publications/{id}", func(ctx context.Context,
		in *PublicationQuery) error {
		return s.Desk.Drop(ctx, in.ID, personOf(ctx).Name)
	})
	get(api, "/api/channels/{channel}/shown", s.shownLines)
	answers(api, store.Manager, http.MethodPost, "/api/channels/{channel}/held/release", s.releaseHeld)
	answers(api, store.Manager, http.MethodPost, "/api/channels/{channel}/left-out/release", s.releaseLeftOut)
	get(api, "/api/channels/{channel}/history", func(ctx context.Context, in *struct {
		ChannelQuery
		SKU string `query:"sku" required:"true"`
	}) (PriceHistory, error) {
		return s.priceHistory(ctx, in.Channel, in.SKU)
	})
}

// newest is the saved book, also where another program saved it a moment ago.
func (s *Server) newest(ctx context.Context) *book.Snapshot {
	if err := s.Live.Refresh(ctx); err != nil {
		slog.Warn("cannot see whether the book has changed", "error", err)
	}
	return s.Live.Current()
}

// reasonGiven is a reason without blanks around it. Its error says at which location it is missing.
func reasonGiven(text, location, why string) (string, error) {
	text = strings.TrimSpace(text)
	if text == "" || len([]rune(text)) > longestReason {
		return "", invalid(location, fmt.Sprintf("Write why %s, in 1 to %d characters.", why, longestReason))
	}
	return text, nil
}

func (s *Server) preparePublication(ctx context.Context, in *PublishQuery) (PublicationAnswer, error) {
	snap := s.newest(ctx)
	if len(in.Body.Overrides) > 0 && !personOf(ctx).Role.May(store.Approver) {
		return PublicationAnswer{}, huma.Error403Forbidden(
			"Sending blocked prices needs an approver. Leave them out, or ask one.")
	}
	for sku, reason := range in.Body.Overrides {
		reason, err := reasonGiven(reason, "overrides."+sku, "this is sent although it is blocked")
		if err != nil {
			return PublicationAnswer{}, err
		}
		in.Body.Overrides[sku] = reason
	}
	wish := publish.Wish{Who: personOf(ctx).Name, Version: in.Body.Version, Overrides: in.Body.Overrides,
		LeaveOut: in.Body.LeaveOut.SKUs, LeaveOutBlocked: in.Body.LeaveOut.Blocked, Whole: in.Body.Whole}
	if only := in.Body.Only; only != nil {
		wish.Without = only.Without
		if only.Loose != nil {
			wish.Loose, wish.Reached = *only.Loose, !*only.Loose
		}
		if only.Pieces == nil && only.SKUs == nil && len(only.Without) == 0 && only.Loose == nil {
			return PublicationAnswer{}, invalid("only", "Name the pieces or the SKUs that are to be sent.")
		}
		if only.Pieces != nil {
			e, err := s.Desk.Published(ctx, snap, in.Channel)
			if err != nil {
				return PublicationAnswer{}, err
			}
			if wish.Pieces, err = s.piecesNamed(ctx, e, *only.Pieces, "only.pieces"); err != nil {
				return PublicationAnswer{}, err
			}
		}
		if only.SKUs != nil {
			wish.SKUs = append([]string{}, *only.SKUs...)
		}
	}
	p, err := s.Desk.Prepare(ctx, snap, in.Channel, wish)
	out := s.publicationAnswer(&p)
	for _, piece := range p.Named.Pieces {
		k, err := pieces.Parse(piece.Piece)
		if err == nil && wish.Pieces != nil && !slices.Contains(wish.Pieces, k) {
			out.With = append(out.With, piece.Piece)
		}
	}
	return out, err
}

func (s *Server) sendPublication(ctx context.Context, in *struct {
	PublicationQuery
	Body *SendForm
}) (PublicationAnswer, error) {
	p, err := s.Desk.Send(ctx, s.newest(ctx), in.ID, personOf(ctx).Name, in.Body.note())
	return s.publicationAnswer(&p), err
}

func (s *Server) approvePublication(ctx context.Context, in *struct {
	PublicationQuery
	Body *SendForm
}) (PublicationAnswer, error) {
	p, err := s.Desk.Approve(ctx, s.newest(ctx), in.ID, personOf(ctx).Name, in.Body.note())
	return s.publicationAnswer(&p), err
}

// stopPublication stops what is being sent: what has no answer is unanswered.
func (s *Server) stopPublication(ctx context.Context, _ *book.Snapshot, id int64, who string) (publish.Publication,
	error) {
	if err := s.Store.Stop(ctx, id, who); err != nil {
		return publish.Publication{}, err
	}
	s.Sender.Wake()
	return s.Store.Publication(ctx, id)
}

func (s *Server) refusePublication(ctx context.Context, in *struct {
	PublicationQuery
	Body Reason
}) (PublicationAnswer, error) {
	reason, err := reasonGiven(in.Body.Reason, "reason", "you refuse it")
	if err != nil {
		return PublicationAnswer{}, err
	}
	p, err := s.Desk.Decline(ctx, in.ID, personOf(ctx).Name, reason)
	return s.publicationAnswer(&p), err
}

func (s *Server) releaseHeld(ctx context.Context, in *ChannelSKUs) (SKUList, error) {
	snap := s.newest(ctx)
	e, err := s.Desk.Published(ctx, snap, in.Channel)
	if err != nil {
		return in.Body, err
	}
	keys, err := s.piecesNamed(ctx, e, in.Body.Pieces, "pieces")
	if err != nil {
		return in.Body, err
	}
	return in.Body, s.Desk.Release(ctx, snap, in.Channel, in.Body.SKUs, keys)
}

func (s *Server) releaseLeftOut(ctx context.Context, in *ChannelSKUs) (SKUList, error) {
	return in.Body, s.Store.ReleaseLeftOut(ctx, in.Channel, in.Body.SKUs)
}

func (s *Server) shownLines(ctx context.Context, in *struct {
	ChannelQuery
	After string `query:"after"`
	Limit int    `query:"limit" minimum:"0" maximum:"10000"`
}) (ShownLines, error) {
	out := ShownLines{Lines: []ShownLine{}}
	if s.Live.Current().Channel(in.Channel) == nil {
		return out, store.ErrNotFound
	}
	limit := in.Limit
	if limit == 0 {
		limit = 1000
	}
	lines, err := s.Store.ShownLines(ctx, in.Channel, s.Clocks.Book(), true, in.After, limit)
	for _, l := range lines {
		digits, _ := money.Digits(l.Currency)
		out.Lines = append(out.Lines, ShownLine{l.SKU, l.Price.Fixed(digits), fixed(l.Reference, digits), l.Currency,
			s.wall(l.From), l.Publication})
	}
	if len(lines) == limit {
		out.Next = lines[limit-1].SKU
	}
	return out, err
}

func (s *Server) priceHistory(ctx context.Context, channel, sku string) (PriceHistory, error) {
	history, err := s.Store.PriceHistory(ctx, channel, sku)
	out := PriceHistory{Spans: []PriceSpan{}}
	for _, h := range history {
		digits, _ := money.Digits(h.Currency)
		span := PriceSpan{Price: fixed(h.Price, digits), Reference: fixed(h.Reference, digits), Currency: h.Currency,
			From: s.wall(h.From), Publication: h.Publication}
		if h.Until != nil {
			span.Until = s.wall(*h.Until)
		}
		out.Spans = append(out.Spans, span)
	}
	return out, err
}

// PriceSpan is a price that a channel showed for a time.
type PriceSpan struct {
	Price       *string `json:"price"`
	Reference   *string `json:"reference"`
	Currency    string  `json:"currency"`
	From        string  `json:"from"`
	Until       string  `json:"until,omitempty"`
	Publication int64   `json:"publication"`
}

func fixed(a *money.Rat, digits int) *string {
	if a == nil {
		return nil
	}
	text := a.Fixed(digits)
	return &text
}

// nameOf is what a product is called in the saved book, or "".
func (s *Server) nameOf(sku string) string {
	if p := s.Live.Current().Product(sku); p != nil {
		return p.Name
	}
	return ""
}

// publicationAnswer is a publication without its rows.
func (s *Server) publicationAnswer(p *publish.Publication) PublicationAnswer {
	out := PublicationAnswer{ID: p.ID, Channel: p.Channel, Version: p.Version, At: p.At.String(), Who: p.Who,
		State: string(p.State), Problem: p.Problem, Kind: string(p.Kind), Of: p.Of, Prepared: s.wall(p.Prepared),
		DecidedBy: p.DecidedBy, Reason: p.Reason, Note: p.Note, Passed: p.Named.Passed,
		Effective: p.Named.Effective, Pieces: p.Named.Pieces, Brings: string(p.Brings), Overrides: p.Named.Overrides,
		Lines: p.Counts.Total, Taken: p.Counts.Taken, Refused: p.Counts.Refused, Unanswered: p.Counts.Unanswered,
		LeftOut: p.Counts.LeftOut,
		Rules:   len(p.Rules.Rules) + len(p.Rules.Withdraw), Worth: p.Named.Worth}
	for _, sku := range slices.Sorted(maps.Keys(p.Named.Decided)) {
		if len(out.Planned) < mostPlanned {
			d := p.Named.Decided[sku]
			out.Planned = append(out.Planned, PlannedLine{sku, s.nameOf(sku), d.Reason, d.Until.String()})
		}
	}
	if p.Sent != nil {
		out.Sent = s.wall(p.Sent.In(time.UTC))
	}
	if p.Ended != nil {
		out.Ended = s.wall(p.Ended.In(time.UTC))
	}
	return out
}

func (s *Server) publication(ctx context.Context, in *struct {
	PublicationQuery
	After string `query:"after" doc:"rows behind this SKU"`
	Limit int    `query:"limit" minimum:"0" maximum:"10000"`
}) (PublicationAnswer, error) {
	p, err := s.Store.Publication(ctx, in.ID)
	if err != nil {
		return PublicationAnswer{}, err
	}
	limit := in.Limit
	if limit == 0 {
		limit = 1000
	}
	rows, err := s.Store.Rows(ctx, in.ID, in.After, limit)
	if err != nil {
		return PublicationAnswer{}, err
	}
	out := s.publicationAnswer(&p)
	engine := s.Live.Current().Engine
	for _, r := range rows {
		digits, _ := money.Digits(r.Currency)
		row := RowAnswer{SKU: r.SKU, Kind: string(r.Kind), Was: fixed(r.Was, digits), Price: fixed(r.Price, digits),
			Reference: fixed(r.Reference, digits), Override: r.Override, Answer: string(r.Answer), Message: r.Message}
		for _, k := range r.Blocked {
			row.Blocked = append(row.Blocked, string(k))
		}
		if n, exists := engine.ProductNumber(r.SKU); exists {
			row.Name = engine.Products()[n].Name
		}
		out.Answers = append(out.Answers, row)
	}
	if len(rows) == limit {
		out.Next = rows[limit-1].SKU
	}
	return out, nil
}

// BrokenPrices are SKUs whose pinned prices do not hold in a channel.
func BrokenPrices(from checks.Source) publish.Broken {
	var mu sync.Mutex
	of, known := "", map[string]map[string]bool{} // by channel, of one version and list of pinned prices
	return func(ctx context.Context, snap *book.Snapshot, channel string) (map[string]bool, error) {
		pinned, err := from.Pinned(ctx)
		mu.Lock()
		defer mu.Unlock()
		if err != nil {
			if known[channel] != nil && ctx.Err() == nil { // while the database is away, what was last known is shown
				return known[channel], nil
			}
			return nil, err
		}
		key := fmt.Sprint(snap.Version, pinned)
		if of != key {
			of, known = key, map[string]map[string]bool{}
		}
		if known[channel] == nil {
			known[channel] = checks.BrokenIn(pinned, snap.Engine, snap.Baskets, channel)
		}
		return known[channel], nil
	}
}
