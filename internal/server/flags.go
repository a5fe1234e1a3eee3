package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/flagsearch"
)

// FlagList is the trouble found.
type FlagList struct {
	Version   int64                 `json:"version" doc:"of the book that was looked at"`
	Searching bool                  `json:"searching" doc:"a newer version is being looked at"`
	From      string                `json:"from"`
	To        string                `json:"to"`
	Flags     []bookfile.FlagAnswer `json:"flags"`
	Names     map[string]string     `json:"names" doc:"of the products in them, by SKU, where they have one"`
}

func (s *Server) registerFlags(api huma.API) {
	get(api, "/api/flags", func(_ context.Context, _ *none) (FlagList, error) {
		snap := s.Live.Current()
		found, version, searching := s.flags.Of(snap)
		now := s.moment(snap)
		out := FlagList{Version: version, Searching: searching, From: now.String(), To: (now + flagsearch.Span).String(),
			Flags: []bookfile.FlagAnswer{}, Names: map[string]string{}}
		for i := range found {
			if p := snap.Product(found[i].Witness.SKU); p != nil && p.Name != "" {
				out.Names[p.SKU] = p.Name
			}
			out.Flags = append(out.Flags, bookfile.FlagAnswerOf(&found[i]))
		}
		return out, nil
	})
}
