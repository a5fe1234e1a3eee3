package server

import (
	"context"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/flagsearch"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
)

// FlagList is the trouble found.
type FlagList struct {
	Version   int64             `json:"version" doc:"of the book that was looked at"`
	Searching bool              `json:"searching" doc:"a newer version is being looked at"`
	From      string            `json:"from"`
	To        string            `json:"to"`
	Flags     []FlagRow         `json:"flags"`
	Names     map[string]string `json:"names" doc:"of the products in them, by SKU, where they have one"`
}

// FlagRow is a flag with the sum that its loss comes from.
type FlagRow struct {
	bookfile.FlagAnswer
	Margin *bookfile.MarginAnswer `json:"margin,omitempty" doc:"how the loss comes about, of a price that all units of the witness have"`
}

// sumsShown is how many flags have their sums worked out: nobody reads more at once.
const sumsShown = 1000

// marginOf is the sum that a flag's loss comes from; nil where it is of another book, or of some units only.
func marginOf(e *pricing.Engine, f *flags.Flag) *bookfile.MarginAnswer {
	if f.Margin == nil {
		return nil
	}
	a, err := e.Price(f.Witness)
	if err != nil || len(a.Portions) != 1 || a.Margin == nil ||
		a.Margin.Amount.Fixed(f.Digits) != f.Margin.Fixed(f.Digits) {
		return nil
	}
	return bookfile.Answer(a).Margin
}

// subject is what a flag is about, in whatever channels: flags of one subject are told together.
func subject(f *flags.Flag) string {
	if f.Kind == flags.Tie {
		return string(f.Kind) + " " + strings.Join(f.Rules, " ")
	}
	return string(f.Kind) + " " + f.SKU + " " + f.Rule
}

func (s *Server) registerFlags(api huma.API) {
	get(api, "/api/flags", func(_ context.Context, _ *none) (FlagList, error) {
		snap := s.Live.Current()
		found, version, searching := s.flags.Of(snap)
		now := s.moment(snap)
		out := FlagList{Version: version, Searching: searching, From: now.String(), To: (now + flagsearch.Span).String(),
			Flags: []FlagRow{}, Names: map[string]string{}}
		for i := range found {
			if p := snap.Product(found[i].Witness.SKU); p != nil && p.Name != "" {
				out.Names[p.SKU] = p.Name
			}
			row := FlagRow{FlagAnswer: bookfile.FlagAnswerOf(&found[i])}
			if i < sumsShown {
				row.Margin = marginOf(snap.Engine, &found[i])
			}
			out.Flags = append(out.Flags, row)
		}
		return out, nil
	})
}
