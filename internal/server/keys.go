package server

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/hashicorp/golang-lru/v2/expirable"
	"golang.org/x/time/rate"

	"dogbane/internal/store"
)

// The rights of keys. Without a choice a key has all but customers.
const (
	mayFeed      = "feed"
	mayQuote     = "quote"
	mayRedeem    = "redeem"
	mayCustomers = "customers"
)

// KeyForm is a key that is to be made.
type KeyForm struct {
	Name   string   `json:"name" maxLength:"120"`
	Rights []string `json:"rights,omitempty" doc:"of feed, quote, redeem and customers; none: all but customers"`
}

// MadeKey is a new key; it is never shown again.
type MadeKey struct {
	ID  int64  `json:"id"`
	Key string `json:"key"`
}

// KeyRow is a key that was made.
type KeyRow struct {
	ID       int64    `json:"id"`
	Name     string   `json:"name"`
	Rights   []string `json:"rights"`
	Who      string   `json:"who"`
	At       string   `json:"at"`
	LastUsed string   `json:"lastUsed,omitempty"`
	Revoked  string   `json:"revoked,omitempty"`
}

// KeyList is a channel's keys, newest first.
type KeyList struct {
	Keys []KeyRow `json:"keys"`
}

// ChannelPath names a channel.
type ChannelPath struct {
	Channel string `path:"channel"`
}

func (s *Server) registerKeys(api huma.API) {
	answers(api, store.Administrator, http.MethodPost, "/api/channels/{channel}/keys", s.makeKey,
		answering(http.StatusCreated))
	answers(api, store.Administrator, http.MethodGet, "/api/channels/{channel}/keys", s.keys)
	does(api, store.Administrator, http.MethodDelete, "/api/channels/{channel}/keys/{id}", s.revokeKey)
}

func (s *Server) revokeKey(ctx context.Context, in *struct {
	ChannelPath
	ID int64 `path:"id"`
}) error {
	err := s.Store.RevokeKey(ctx, in.Channel, in.ID, s.Clocks.Machine().UTC())
	s.callers.known.Purge()
	if err == nil {
		s.record(ctx, personOf(ctx).Name, store.KeyRevoked, fmt.Sprintf("%s, key %d", in.Channel, in.ID))
	}
	return err
}

func (s *Server) makeKey(ctx context.Context, in *struct {
	ChannelPath
	Body KeyForm
}) (MadeKey, error) {
	if s.Live.Current().Channel(in.Channel) == nil {
		return MadeKey{}, fmt.Errorf("channel %q: %w", in.Channel, store.ErrNotFound)
	}
	k := store.ChannelKey{Channel: in.Channel, Name: strings.TrimSpace(in.Body.Name), Who: personOf(ctx).Name,
		At: s.Clocks.Machine().UTC()}
	if k.Name == "" {
		return MadeKey{}, invalid("name", "Say what the key is for.")
	}
	rights := []string{mayFeed, mayQuote, mayRedeem, mayCustomers}
	for i, r := range in.Body.Rights {
		if !slices.Contains(rights, r) {
			return MadeKey{}, invalid(fmt.Sprintf("rights[%d]", i), "A right is one of feed, quote, redeem and customers.")
		}
	}
	for _, r := range rights {
		if slices.Contains(in.Body.Rights, r) || len(in.Body.Rights) == 0 && r != mayCustomers {
			k.Rights = append(k.Rights, r)
		}
	}
	key, err := s.Store.MakeKey(ctx, &k)
	if err == nil {
		s.record(ctx, k.Who, store.KeyMade, fmt.Sprintf("%s, %s", in.Channel, k.Name))
	}
	return MadeKey{k.ID, key}, err
}

func (s *Server) keys(ctx context.Context, in *ChannelPath) (KeyList, error) {
	list, err := s.Store.Keys(ctx, in.Channel)
	out := KeyList{Keys: []KeyRow{}}
	machine := func(t *time.Time) string {
		if t == nil {
			return ""
		}
		return s.wall(*t)
	}
	for _, k := range list {
		row := KeyRow{k.ID, k.Name, k.Rights, k.Who, s.wall(k.At), machine(k.LastUsed), machine(k.Revoked)}
		out.Keys = append(out.Keys, row)
	}
	return out, err
}

// ChannelCall is a request of a channel's program, with its key.
type ChannelCall struct {
	ChannelPath
	Authorization string `header:"Authorization" doc:"Bearer KEY"`
	Key           string `query:"key" doc:"instead of the header"`
	host          string
}

// Resolve notes under which name the program was asked.
func (c *ChannelCall) Resolve(ctx huma.Context) []error {
	c.host = ctx.Host()
	return nil
}

// callers are the keys that were shown not long ago, and how much each may still ask.
type callers struct {
	known *expirable.LRU[string, store.ChannelKey]
	noted *expirable.LRU[int64, bool] // whose use was noted not long ago
	pace  *expirable.LRU[string, *rate.Limiter]
	// fetched are feeds, by key and ending, of which a fetch was noted not long ago.
	fetched *expirable.LRU[string, bool]
}

// keyKept is how long another instance's revoking may go unseen.
const keyKept = 2 * time.Second

// Asking and counting of one key, each second.
const (
	quotesPerSecond = 3000
	usesPerSecond   = 300
)

func newCallers() *callers {
	return &callers{
		expirable.NewLRU[string, store.ChannelKey](1000, nil, keyKept),
		expirable.NewLRU[int64, bool](1000, nil, time.Minute),
		expirable.NewLRU[string, *rate.Limiter](10_000, nil, time.Hour),
		expirable.NewLRU[string, bool](1000, nil, time.Minute),
	}
}

// caller is the key of a request, if it is one of the channel and has a right.
func (s *Server) caller(ctx context.Context, in *ChannelCall, right string) (store.ChannelKey, error) {
	shown := in.Key
	// The name of the scheme is written in any case (RFC 9110, section 11.1).
	if scheme, bearer, found := strings.Cut(in.Authorization, " "); found && strings.EqualFold(scheme, "Bearer") {
		shown = strings.TrimSpace(bearer)
	}
	none := store.ChannelKey{}
	if shown == "" {
		return none, huma.Error401Unauthorized("A key of the channel is needed: Authorization: Bearer KEY.")
	}
	k, known := s.callers.known.Get(shown)
	if !known {
		var err error
		if k, err = s.Store.KeyOf(ctx, shown); errors.Is(err, store.ErrNotFound) {
			return none, huma.Error401Unauthorized("There is no such key.")
		} else if err != nil {
			return none, err
		}
		s.callers.known.Add(shown, k)
	}
	switch {
	case k.Channel != in.Channel:
		return none, huma.Error401Unauthorized("This key is not one of this channel.")
	case k.Revoked != nil:
		return none, huma.Error401Unauthorized("This key was revoked.")
	case !k.May(right):
		return none, huma.Error403Forbidden(fmt.Sprintf("This key has not the right %q.", right))
	}
	if wait := s.callers.wait(k.ID, right, s.Clocks.Machine()); wait > 0 {
		return none, huma.ErrorWithHeaders(huma.Error429TooManyRequests("This key asks too often."),
			http.Header{"Retry-After": {fmt.Sprint(int(wait.Seconds()) + 1)}})
	}
	if _, noted := s.callers.noted.Get(k.ID); !noted {
		s.callers.noted.Add(k.ID, true)
		if err := s.Store.UsedKey(ctx, k.ID, s.Clocks.Machine().UTC()); err != nil {
			slog.Warn("cannot note that a key was used", "key", k.ID, "error", err)
		}
	}
	return k, nil
}

// wait is how long a key has to wait before it may ask again, at an instant.
func (c *callers) wait(id int64, right string, now time.Time) time.Duration {
	name, pace := fmt.Sprint(id), quotesPerSecond
	if right == mayRedeem {
		name, pace = name+" uses", usesPerSecond
	}
	l, known := c.pace.Get(name)
	if !known {
		l = rate.NewLimiter(rate.Limit(pace), 2*pace)
		c.pace.Add(name, l)
	}
	r := l.ReserveN(now, 1)
	wait := r.DelayFrom(now)
	if wait > 0 {
		r.CancelAt(now)
	}
	return wait
}
