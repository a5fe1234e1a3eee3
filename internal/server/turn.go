package server

import (
	"context"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
	"dogbane/internal/publish/pieces"
	"dogbane/internal/publish/telling"
	"dogbane/internal/publish/timing"
	"dogbane/internal/store"
)

// DueCause is a rule or campaign that opens or closes at a due moment.
type DueCause struct {
	Kind  string         `json:"kind" enum:"rules,campaigns"`
	Code  string         `json:"code"`
	Name  string         `json:"name"`
	Opens bool           `json:"opens" doc:"or else it closes"`
	Lines int            `json:"lines" doc:"that differ then, and that it selects"`
	Rules int            `json:"rules" doc:"of a campaign: its rules whose own windows open or close with it, which are turned along"`
	Turns []pricing.Turn `json:"turns" doc:"what can be done about it now: start, end, skip"`
	Along []string       `json:"along" doc:"channels in which it, or a rule that turns along, has other changes that were not published: a turn brings them, too"`
}

// TurnForm is a rule or campaign that starts or ends now, or is passed over once.
type TurnForm struct {
	Kind string       `json:"kind" enum:"rules,campaigns"`
	Code string       `json:"code"`
	Turn pricing.Turn `json:"turn" enum:"start,end,skip"`
	At   string       `json:"at" doc:"the moment at which it would open or close by itself"`
}

// TurnAnswer is what became of it.
type TurnAnswer struct {
	Saved
	Sent []RolloutRow `json:"sent" doc:"to the channels where it changes anything"`
}

// causes are what makes lines differ at a due moment, with what can be done about each in the saved book. behind are
// the channels in which pieces are not as saved.
func (s *Server) causes(snap, version *book.Snapshot, channel string, due *telling.DueMoment,
	behind map[pieces.Key][]*pricing.Channel) []DueCause {
	list := []DueCause{}
	for _, c := range timing.Causes(version, channel, due) {
		out := DueCause{Kind: c.Kind, Code: c.Code, Name: c.Code, Opens: c.Opens, Lines: c.Lines, Rules: c.Rules,
			Turns: []pricing.Turn{}, Along: []string{}}
		name, turns := c.Turns(snap, due.At, snap.Present(s.Clocks.Book()))
		if name != "" {
			out.Name, out.Turns = name, append(out.Turns, turns...)
		}
		turned := []pieces.Key{{Kind: c.Kind, Code: c.Code}}
		if c.Kind == book.Campaigns {
			for _, r := range timing.Along(snap.Book, c.Code, due.At, c.Opens) {
				turned = append(turned, pieces.Key{Kind: book.Rules, Code: r.Code})
			}
		}
		for _, k := range turned {
			for _, c := range behind[k] {
				if !slices.Contains(out.Along, c.Title()) {
					out.Along = append(out.Along, c.Title())
				}
			}
		}
		list = append(list, out)
	}
	return list
}

// turn starts or ends a rule or campaign now, or passes over its next time, and tells the channels.
func (s *Server) turn(ctx context.Context, in *struct {
	Seen
	Body TurnForm
}) (TurnAnswer, error) {
	out := TurnAnswer{Sent: []RolloutRow{}}
	at, err := pricing.ParseMoment(in.Body.At)
	if err != nil {
		return out, &pricing.QuestionError{Path: "at", Problem: err.Error()}
	}
	before := s.newest(ctx)
	turn := timing.Turn{Kind: in.Body.Kind, Code: in.Body.Code, Turn: in.Body.Turn, At: at}
	changes, summary, err := turn.Changes(before, before.Present(s.Clocks.Book()))
	if err != nil {
		return out, err
	}
	if out.Saved, err = s.commit(ctx, in.Seen, summary, changes); err != nil {
		return out, err
	}
	sent, err := s.Desk.RollOut(ctx, s.newest(ctx), keysOf(changes), nil, personOf(ctx).Name, "")
	if err != nil {
		return out, err
	}
	out.Sent = s.rolloutRows(sent)
	return out, nil
}

func (s *Server) registerTurn(api huma.API) {
	answers(api, store.Manager, http.MethodPost, "/api/turns", s.turn)
}
