package server

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/impact"
	"dogbane/internal/mail"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/publish"
	"dogbane/internal/store"
	"dogbane/internal/storefront"
)

// ImpactQuery asks what an unsaved rule would do.
type ImpactQuery struct {
	ViewpointQuery
	Replaces string `query:"replaces" doc:"the saved rule that this one takes the place of"`
	Body     RuleDoc
}

// NearestQuery asks for the values of an effect that would keep to a limit of a channel.
type NearestQuery struct {
	ImpactQuery
	Side impact.Side `query:"side" enum:"least,most" doc:"of the limit on the size of reductions"`
	Of   string      `query:"of" doc:"the channel whose limit it is"`
}

// Trial is an unsaved offer or order at work on real goods, and what its customers would be told.
type Trial struct {
	impact.Trial
	Message *mail.Message `json:"message" doc:"of an offer after a purchase: the mail that its customers would get"`
	Unknown []string      `json:"unknown" doc:"fields that its message names and that there are not"`
}

// sampleMessage is what somebody would be told who bought the first product that opens an offer now.
func sampleMessage(snap *book.Snapshot, rule *pricing.Rule, vp pricing.Viewpoint) (mail.Message, bool) {
	x := basket.Opening{Rule: rule, Until: vp.At - vp.At%pricing.Day + pricing.Moment(rule.Offer.After.Days+1)*pricing.Day}
	snap.Engine.Match(&rule.Offer.After.Where).Each(func(p int32) bool {
		x.SKU = snap.Engine.Products()[p].SKU
		return false
	})
	customer := ""
	if len(snap.Book.Customers) > 0 {
		customer = cmp.Or(vp.Customer, snap.Book.Customers[0].Code)
	}
	scope, err := snap.Engine.Scope(vp)
	if err != nil {
		return mail.Message{}, false
	}
	reduced := storefront.Rewards(snap.Engine, scope, rule)
	return messageOf(snap, scope, x, customer, &reduced, &publish.Link{})
}

func (s *Server) registerImpact(api huma.API) {
	answers(api, store.Reader, http.MethodPost, "/api/impact", func(ctx context.Context, in *ImpactQuery) (impact.Rule,
		error) {
		snap := s.Live.Current()
		draft, vp, err := in.read(ctx, s, snap)
		if err != nil {
			var errs bookfile.Errors
			if errors.As(err, &errs) {
				err = nil
			}
			return impact.NoRule(errs), err
		}
		return s.impacts.OfRule(ctx, snap, draft, vp, s.moment(snap))
	}, unchecked)
	answers(api, store.Reader, http.MethodPost, "/api/impact/trial",
		func(ctx context.Context, in *ImpactQuery) (Trial, error) {
			snap := s.Live.Current()
			draft, vp, err := in.read(ctx, s, snap)
			if err != nil {
				var errs bookfile.Errors
				if errors.As(err, &errs) {
					err = nil
				}
				return Trial{Trial: impact.NoTrial(errs), Unknown: []string{}}, err
			}
			t, err := s.impacts.TrialOf(ctx, snap, draft, vp)
			out := Trial{Trial: t, Unknown: []string{}}
			if show := draft.Rule.Show; show != nil && draft.Rule.Offer != nil && draft.Rule.Offer.After != nil {
				out.Unknown = append(out.Unknown, mail.Unknown(show.Message+show.Label)...)
				if m, tells := sampleMessage(snap, &draft.Rule, vp); tells {
					out.Message = &m
				}
			}
			return out, err
		}, unchecked)
	answers(api, store.Reader, http.MethodPost, "/api/impact/elsewhere",
		func(ctx context.Context, in *ImpactQuery) (impact.Elsewhere, error) {
			snap := s.Live.Current()
			draft, vp, err := in.read(ctx, s, snap)
			if err != nil {
				return impact.Elsewhere{}, err
			}
			return s.impacts.ElsewhereOf(ctx, snap, draft, vp)
		}, unchecked)
	answers(api, store.Reader, http.MethodPost, "/api/impact/nearest",
		func(ctx context.Context, in *NearestQuery) (impact.Nearest, error) {
			snap := s.Live.Current()
			draft, vp, err := in.read(ctx, s, snap)
			if err != nil {
				return impact.Nearest{}, err
			}
			return s.impacts.Nearest(snap, draft, vp, in.Side, in.Of, s.moment(snap))
		}, unchecked)
}

// read is the rule that a query is about, and where it is looked at from. A rule that cannot be saved is
// bookfile.Errors.
func (q *ImpactQuery) read(ctx context.Context, s *Server, snap *book.Snapshot) (impact.Draft, pricing.Viewpoint,
	error) {
	rule, err := bookfile.DecodeRule(withCode(q.Body), snap.Book)
	if err != nil {
		return impact.Draft{}, pricing.Viewpoint{}, err
	}
	vp, err := q.ViewpointQuery.read(ctx, s, snap)
	return impact.Draft{Rule: rule, Replaces: q.Replaces}, vp, err
}

// unsavedCode stands for that of a rule which has none yet.
const unsavedCode = "not-saved-yet.0-0-0"

// withCode gives a rule that is being written a code where it has none yet.
func withCode(doc RuleDoc) RuleDoc {
	keys, err := book.Keys(doc)
	if err != nil || keys == nil || len(keys["code"]) > 2 { // nil: the document is null
		return doc
	}
	keys["code"] = json.RawMessage(`"` + unsavedCode + `"`)
	if filled, err := json.Marshal(keys); err == nil {
		return filled
	}
	return doc
}
