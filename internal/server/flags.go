package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/flagsearch"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/store"
)

// FlagQuery says which flags are wanted.
type FlagQuery struct {
	By           string `query:"by" enum:"kind,cause" default:"kind"`
	Kind         string `query:"kind"`
	Severity     string `query:"severity" enum:"error,warning,note,"`
	Channel      string `query:"channel"`
	Layer        string `query:"layer"`
	Campaign     string `query:"campaign"`
	Category     string `query:"category"`
	Cause        string `query:"cause" doc:"the rule behind them"`
	Text         string `query:"q" doc:"in names and codes of goods and rules"`
	Acknowledged bool   `query:"acknowledged" doc:"those that somebody lives with, instead of the others"`
	Skip         int    `query:"skip" minimum:"0" doc:"entries of each group that are not told again"`
}

// FlagList is the trouble found.
type FlagList struct {
	Version   int64              `json:"version" doc:"of the book that was looked at"`
	Searching bool               `json:"searching" doc:"a newer version is being looked at"`
	Present   bool               `json:"present" doc:"only the present moment was looked at so far"`
	Left      int                `json:"left" doc:"products whose present was not looked at yet since they changed"`
	From      string             `json:"from"`
	To        string             `json:"to"`
	Groups    []flagsearch.Group `json:"groups"`
	Kinds     []KindCount        `json:"kinds" doc:"how many entries of each kind pass the other filters"`
}

// KindCount is how many entries there are of a kind.
type KindCount struct {
	Kind  string `json:"kind"`
	Count int    `json:"count"`
}

// FlagFix is an edit that may clear a flag.
type FlagFix struct {
	Title   string       `json:"title"`
	Changes []EditChange `json:"changes"`
	Told    bool         `json:"told" doc:"whether it is known what it does to the flags"`
	Late    bool         `json:"late" doc:"it reaches so much that this is known only after saving"`
	Clears  bool         `json:"clears" doc:"it clears this flag"`
	Cleared int          `json:"cleared" doc:"flags that it clears in all"`
	Raised  int          `json:"raised" doc:"flags that it raises"`
	Problem string       `json:"problem,omitempty" doc:"why it cannot be saved"`
}

// FlagFixes are what may clear a flag.
type FlagFixes struct {
	Fixes []FlagFix `json:"fixes"`
}

// FlagSpell is a time in which a flag was raised, with the edits that began and ended it.
type FlagSpell struct {
	flagsearch.Spell
	RaisedBy  string `json:"raisedBy,omitempty" doc:"who, and what they changed"`
	ClearedBy string `json:"clearedBy,omitempty"`
}

// FlagHistory is when a flag came and went, the newest first.
type FlagHistory struct {
	Spells []FlagSpell `json:"spells"`
}

// AcknowledgeForm is that somebody lives with a flag for a while.
type AcknowledgeForm struct {
	Subject string     `json:"subject,omitempty" maxLength:"4000" doc:"of one flag"`
	All     *FlagsSeen `json:"all,omitempty" doc:"instead of a subject: a group by cause, as somebody saw it"`
	Reason  string     `json:"reason" maxLength:"500"`
	Until   string     `json:"until" doc:"the last day, as 2026-12-24"`
}

// FlagsSeen is a group of a list by cause, with what the list was narrowed to and how many flags the group held then.
type FlagsSeen struct {
	Key      string `json:"key" maxLength:"4000"`
	Count    int    `json:"count"`
	Severity string `json:"severity,omitempty"`
	Channel  string `json:"channel,omitempty"`
	Layer    string `json:"layer,omitempty"`
	Campaign string `json:"campaign,omitempty"`
	Category string `json:"category,omitempty"`
	Text     string `json:"q,omitempty"`
}

// Shut is what keeps a rule from taking effect, wherever and whenever it fits.
type Shut struct {
	Known    bool      `json:"known" doc:"the book was looked at"`
	Reach    int       `json:"reach" doc:"products that it selects"`
	Applies  int       `json:"applies" doc:"products to whose price it applies at some moment, for somebody, somewhere"`
	Shutters []Shutter `json:"shutters" doc:"the most products first"`
}

// Shutter is what keeps a rule from products, at all questions that it fits.
type Shutter struct {
	By       string           `json:"by,omitempty" doc:"the rule that comes first; empty: none does"`
	Name     string           `json:"name,omitempty"`
	Rank     int              `json:"rank,omitempty"`
	Layer    string           `json:"layer,omitempty"`
	Reason   string           `json:"reason"`
	Products int              `json:"products"`
	Witness  bookfile.Witness `json:"witness"`
	Example  string           `json:"example" doc:"the name of the witness's product"`
}

// FlagImpact is what an edit does to the flags.
type FlagImpact struct {
	Known   bool        `json:"known" doc:"the saved book was looked at"`
	Raised  []FlagBrief `json:"raised"`
	Cleared []FlagBrief `json:"cleared"`
}

// FlagBrief is flags of one kind.
type FlagBrief struct {
	Kind     string `json:"kind"`
	Severity string `json:"severity"`
	Count    int    `json:"count" doc:"products or rules, each once"`
	Example  string `json:"example" doc:"the product or the rule of one of them"`
}

// subjects are what flags are about, each once.
func subjects(list []flags.Flag) map[string]bookfile.FlagAnswer {
	out := map[string]bookfile.FlagAnswer{}
	for i := range list {
		f := bookfile.FlagAnswerOf(&list[i])
		out[flagsearch.Subject(&f)] = f
	}
	return out
}

// brief are what flags are about, by kind.
func brief(snap *book.Snapshot, of []flags.Flag) []FlagBrief {
	list := []FlagBrief{}
	for _, f := range subjects(of) {
		i := slices.IndexFunc(list, func(b FlagBrief) bool { return b.Kind == f.Kind })
		if i < 0 {
			i = len(list)
			list = append(list, FlagBrief{Kind: f.Kind, Severity: f.Severity})
		}
		list[i].Count++
		example := nameOfSubject(snap, &f)
		if list[i].Example == "" || example < list[i].Example {
			list[i].Example = example
		}
	}
	slices.SortFunc(list, func(a, b FlagBrief) int { return flags.Compare(flags.Kind(a.Kind), flags.Kind(b.Kind)) })
	return list
}

func nameOfSubject(snap *book.Snapshot, f *bookfile.FlagAnswer) string {
	if p := snap.Product(f.SKU); p != nil {
		if p.Name != "" {
			return p.Name
		}
		return p.SKU
	}
	var names []string
	codes := f.Rules
	if f.Rule != "" {
		codes = []string{f.Rule}
	}
	for _, code := range codes {
		if r := snap.Rule(code); r != nil {
			code = r.Title()
		}
		names = append(names, code)
	}
	return strings.Join(names, " and ")
}

// SubjectQuery names a flag.
type SubjectQuery struct {
	Subject string `query:"subject" required:"true"`
	Channel string `query:"channel" doc:"of the flag in this channel; empty: the worst"`
}

func (s *Server) registerFlags(api huma.API) {
	get(api, "/api/flags", s.flagList)
	get(api, "/api/flags/fixes", s.fixes)
	get(api, "/api/flags/history", s.flagHistory)
	get(api, "/api/rules/{code}/why-not", s.whyNot)
	answers(api, store.Reader, http.MethodPost, "/api/impact/flags", s.flagImpact, unchecked)
	does(api, store.Manager, http.MethodPost, "/api/flags/acknowledge", s.acknowledge)
	does(api, store.Manager, http.MethodDelete, "/api/flags/acknowledge", s.bringBack)
}

func (s *Server) flagList(ctx context.Context, in *FlagQuery) (FlagList, error) {
	snap := s.Live.Current()
	found := s.flags.Of(snap)
	seen, err := s.acknowledged(ctx)
	if err != nil {
		return FlagList{}, err
	}
	if found.Version == 0 { // nothing was looked at yet
		found.From = s.moment(snap)
	}
	out := FlagList{Version: found.Version, Searching: found.Searching, Present: found.Present, Left: found.Left,
		From: found.From.String(), To: (found.From + flagsearch.Span).String(), Kinds: []KindCount{}}
	filter := flagsearch.Filter{Kind: in.Kind, Severity: in.Severity, Channel: in.Channel, Layer: in.Layer,
		Campaign: in.Campaign, Category: in.Category, Cause: in.Cause, Text: in.Text, Acknowledged: in.Acknowledged}
	var kinds map[string]int
	out.Groups, kinds = flagsearch.Groups(snap, found, seen, filter, in.By == "cause", in.Skip)
	for i := range flags.Table {
		if n := kinds[string(flags.Table[i].Kind)]; n > 0 {
			out.Kinds = append(out.Kinds, KindCount{string(flags.Table[i].Kind), n})
		}
	}
	return out, nil
}

// acknowledged are the flags that somebody lives with; while the database cannot be used, none are known.
func (s *Server) acknowledged(ctx context.Context) (map[string]flagsearch.Acknowledgement, error) {
	seen, err := s.Store.Acknowledged(ctx, s.Clocks.Book())
	if err != nil && s.Store.Outage() != nil {
		return nil, nil
	}
	zone := s.Live.Current().Zone
	for about, a := range seen {
		a.At, a.Until = a.At.In(zone), a.Until.In(zone)
		seen[about] = a
	}
	return seen, err
}

// flagOf is a flag that is raised now.
func (s *Server) flagOf(snap *book.Snapshot, in *SubjectQuery) (*bookfile.FlagAnswer, error) {
	found := s.flags.Of(snap)
	for i := range found.Flags {
		f := found.Flags[i]
		if flagsearch.Subject(f) == in.Subject && (in.Channel == "" || f.Channel == in.Channel) {
			return f, nil
		}
	}
	return nil, huma.Error404NotFound("This flag is not raised any more.")
}

// fixesPatience is how long it may take to tell what fixes do to the flags.
const fixesPatience = 8 * time.Second

func (s *Server) fixes(ctx context.Context, in *SubjectQuery) (FlagFixes, error) {
	snap := s.Live.Current()
	f, err := s.flagOf(snap, in)
	if err != nil {
		return FlagFixes{}, err
	}
	out := FlagFixes{Fixes: []FlagFix{}}
	soon, stop := context.WithTimeout(ctx, fixesPatience)
	defer stop()
	for _, fix := range flagsearch.Fixes(snap, f) {
		x := FlagFix{Title: fix.Title}
		for _, c := range fix.Changes {
			doc := ItemDoc(c.After)
			x.Changes = append(x.Changes, EditChange{Kind: c.Kind, Code: c.Code, ETag: etag(c.Before), Doc: &doc})
		}
		next, err := book.Apply(snap.Book, fix.Changes)
		if err != nil {
			x.Problem = err.Error()
			out.Fixes = append(out.Fixes, x)
			continue
		}
		raised, cleared, known, err := s.flags.Changes(soon, snap, snap.Engine.Recompile(next))
		if soon.Err() != nil && ctx.Err() == nil {
			x.Late = true
			out.Fixes = append(out.Fixes, x)
			continue
		}
		if err != nil {
			return FlagFixes{}, err
		}
		gone := subjects(cleared)
		_, clears := gone[in.Subject]
		x.Told, x.Clears = known, clears && s.leavesNone(snap, in.Subject, cleared)
		x.Cleared, x.Raised = len(gone), len(subjects(raised))
		out.Fixes = append(out.Fixes, x)
	}
	// Those that clear it come first.
	slices.SortStableFunc(out.Fixes, func(a, b FlagFix) int {
		rank := func(f FlagFix) int {
			if f.Clears || !f.Told {
				return 0
			}
			return 1
		}
		return rank(a) - rank(b)
	})
	return out, nil
}

// leavesNone reports whether all flags about a subject are among those that are cleared: it may be raised in more
// channels than one.
func (s *Server) leavesNone(snap *book.Snapshot, subject string, cleared []flags.Flag) bool {
	left := map[string]bool{}
	found := s.flags.Of(snap)
	for i := range found.Flags {
		if f := found.Flags[i]; flagsearch.Subject(f) == subject {
			left[f.Channel] = true
		}
	}
	for i := range cleared {
		f := bookfile.FlagAnswerOf(&cleared[i])
		if flagsearch.Subject(&f) == subject {
			delete(left, f.Channel)
		}
	}
	return len(left) == 0
}

func (s *Server) flagHistory(ctx context.Context, in *SubjectQuery) (FlagHistory, error) {
	spells, err := s.Store.FlagHistory(ctx, in.Subject, 20)
	out := FlagHistory{Spells: []FlagSpell{}}
	if err != nil {
		return out, err
	}
	by := func(version *int64) string {
		if version == nil {
			return ""
		}
		e, err := s.Store.EntryOf(ctx, *version)
		if err != nil {
			return ""
		}
		return e.Who + ": " + e.Summary
	}
	zone := s.Live.Current().Zone
	for _, x := range spells {
		for _, at := range []*time.Time{x.RaisedAt, x.ClearedAt} {
			if at != nil {
				*at = at.In(zone)
			}
		}
		out.Spells = append(out.Spells, FlagSpell{Spell: x, RaisedBy: by(x.Raised), ClearedBy: by(x.Cleared)})
	}
	return out, nil
}

func (s *Server) acknowledge(ctx context.Context, in *struct{ Body AcknowledgeForm }) error {
	f := &in.Body
	f.Reason = strings.TrimSpace(f.Reason)
	if f.Reason == "" {
		return invalid("reason", "Say why this may stay.")
	}
	snap := s.Live.Current()
	day, err := time.ParseInLocation(time.DateOnly, f.Until, snap.Zone)
	if err != nil {
		return invalid("until", "Write the last day, such as 2026-12-24.")
	}
	now := s.Clocks.Book()
	until := day.AddDate(0, 0, 1)
	if !until.After(now) {
		return invalid("until", "This day is over.")
	}
	if until.After(now.AddDate(1, 0, 1)) {
		return invalid("until", "At most a year from now.")
	}
	subjects := []string{f.Subject}
	if all := f.All; all != nil {
		seen, err := s.acknowledged(ctx)
		if err != nil {
			return err
		}
		subjects = flagsearch.Together(snap, s.flags.Of(snap), seen, flagsearch.Filter{Severity: all.Severity,
			Channel: all.Channel, Layer: all.Layer, Campaign: all.Campaign, Category: all.Category, Text: all.Text}, all.Key)
		switch n := len(subjects); {
		case n == 0:
			return huma.Error404NotFound("None of these flags is raised any more.")
		case n != all.Count: // nobody lives with what they did not see
			return huma.Error409Conflict(fmt.Sprintf("There are %d of them by now, and %d were shown: look again.", n, all.Count))
		}
	}
	flag, err := s.flagOf(snap, &SubjectQuery{Subject: subjects[0]})
	if err != nil {
		return err
	}
	if err := s.Store.Acknowledge(ctx, flagsearch.Acknowledgement{Who: personOf(ctx).Name, At: now.UTC(),
		Until: until.UTC(), Reason: f.Reason}, subjects...); err != nil {
		return err
	}
	others := ""
	if n := len(subjects) - 1; n > 0 {
		others = fmt.Sprintf(" and of %d more", n)
	}
	s.record(ctx, personOf(ctx).Name, store.FlagAcknowledged,
		fmt.Sprintf("%s of %s%s until %s: %s", flag.Kind, nameOfSubject(snap, flag), others, f.Until, f.Reason))
	return nil
}

func (s *Server) bringBack(ctx context.Context, in *SubjectQuery) error {
	if err := s.Store.ForgetAcknowledgement(ctx, in.Subject); err != nil {
		return err
	}
	kind, rest, _ := strings.Cut(in.Subject, "\x1f")
	s.record(ctx, personOf(ctx).Name, store.FlagBroughtBack, kind+" of "+strings.Join(strings.FieldsFunc(rest,
		func(r rune) bool { return r == '\x1f' }), ", "))
	return nil
}

func (s *Server) whyNot(_ context.Context, in *RuleQuery) (Shut, error) {
	snap := s.Live.Current()
	r := snap.Rule(in.Code)
	if r == nil {
		return Shut{}, store.ErrNotFound
	}
	out := Shut{Shutters: []Shutter{}}
	out.Reach, _ = snap.Engine.At(s.moment(snap)).Reach(r.Code)
	applies, shutters, known := s.flags.WhyNot(snap, r.Code)
	out.Known, out.Applies = known, applies
	for _, h := range shutters {
		b := Shutter{By: h.By, Reason: string(h.Reason), Products: h.Products, Witness: bookfile.WitnessOf(&h.Witness)}
		if by := snap.Rule(h.By); by != nil {
			b.Name, b.Rank, b.Layer = by.Title(), by.Rank, by.Layer.String()
		}
		if p := snap.Product(h.Witness.SKU); p != nil {
			b.Example = p.Name
		}
		out.Shutters = append(out.Shutters, b)
	}
	return out, nil
}

// flagImpact is what a rule that is being written would do to the flags.
func (s *Server) flagImpact(ctx context.Context, in *ImpactQuery) (FlagImpact, error) {
	out := FlagImpact{Raised: []FlagBrief{}, Cleared: []FlagBrief{}}
	snap := s.Live.Current()
	draft, _, err := in.read(ctx, s, snap)
	if err != nil {
		var errs bookfile.Errors
		if errors.As(err, &errs) {
			err = nil
		}
		return out, err
	}
	code := draft.Replaces
	if code == "" {
		code = draft.Rule.Code
	}
	engine, _ := snap.Engine.With(pricing.Edit{Code: code, Rule: &draft.Rule})
	raised, cleared, known, err := s.flags.Changes(ctx, snap, engine)
	if err != nil || !known {
		return out, err
	}
	out.Known, out.Raised, out.Cleared = true, brief(snap, raised), brief(snap, cleared)
	return out, nil
}
