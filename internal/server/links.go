package server

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/money"
	"dogbane/internal/publish"
	"dogbane/internal/publish/sending"
	"dogbane/internal/publish/telling"
	"dogbane/internal/store"
)

// LinkForm is how a channel is reached, when it is told, and who has to agree.
type LinkForm struct {
	Kind        string          `json:"kind" doc:"http, folder or feed"`
	Address     string          `json:"address,omitempty" doc:"where it is reached: of http a URL, of folder a folder"`
	Token       *string         `json:"token,omitempty" doc:"written, never read back; left out: as it was, on the same host; empty: none"`
	Sends       string          `json:"sends,omitempty" doc:"by-hand or on-the-minute"`
	Approval    json.RawMessage `json:"approval,omitempty" doc:"none, always, or {overPercent} of a guest's price"`
	GiveUpAfter string          `json:"giveUpAfter,omitempty" doc:"such as 30m"`
	Compare     string          `json:"compare,omitempty" doc:"such as 1h, or off"`
	Reference   string          `json:"reference,omitempty" doc:"what reductions are shown against: lowest30, catalog, list or rrp"`
	Pages       string          `json:"pages,omitempty" doc:"where people see its goods, {sku} standing for the SKU: mails to customers lead there"`
}

// LinkAnswer is a link without its token.
type LinkAnswer struct {
	Channel     string          `json:"channel"`
	Kind        string          `json:"kind" enum:"http,folder,feed"`
	Address     string          `json:"address,omitempty"`
	Token       bool            `json:"token" doc:"whether there is one"`
	Sends       string          `json:"sends" enum:"by-hand,on-the-minute"`
	Approval    json.RawMessage `json:"approval"`
	GiveUpAfter string          `json:"giveUpAfter"`
	Compare     string          `json:"compare"`
	Reference   string          `json:"reference" enum:"lowest30,catalog,list,rrp"`
	Pages       string          `json:"pages,omitempty" doc:"where people see its goods, {sku} standing for the SKU"`
}

// LinkList is all links.
type LinkList struct {
	Links []LinkAnswer `json:"links"`
}

// Tried is what came of trying a link.
type Tried struct {
	Works   bool   `json:"works"`
	Problem string `json:"problem,omitempty"`
}

// LinkBody is a link that is written.
type LinkBody struct {
	ChannelQuery
	Body LinkForm
}

const (
	defaultGiveUp  = 30 * time.Minute
	longestGiveUp  = 7 * 24 * time.Hour
	shortestPeriod = time.Minute
)

func (s *Server) registerLinks(api huma.API) {
	answers(api, store.Reader, http.MethodGet, "/api/links", func(ctx context.Context, _ *none) (LinkList, error) {
		links, err := s.Store.Links(ctx)
		out := LinkList{Links: []LinkAnswer{}}
		for _, channel := range slices.Sorted(maps.Keys(links)) {
			out.Links = append(out.Links, linkAnswer(links[channel]))
		}
		return out, err
	})
	answers(api, store.Reader, http.MethodGet, "/api/links/{channel}", func(ctx context.Context,
		in *ChannelQuery) (LinkAnswer, error) {
		links, err := s.Store.Links(ctx)
		if err != nil {
			return LinkAnswer{}, err
		}
		link, linked := links[in.Channel]
		if !linked {
			return LinkAnswer{}, store.ErrNotFound
		}
		return linkAnswer(link), nil
	})
	on(api, store.Administrator, http.MethodPut, "/api/links/{channel}", func(ctx context.Context,
		in *LinkBody) (*struct{}, error) {
		link, err := s.readLink(ctx, in)
		if err == nil {
			err = s.setLink(ctx, link)
		}
		return nil, err
	}, answering(http.StatusNoContent), unchecked)
	does(api, store.Administrator, http.MethodDelete, "/api/links/{channel}", func(ctx context.Context,
		in *ChannelQuery) error {
		err := s.Store.DropLink(ctx, in.Channel)
		if err == nil {
			s.record(ctx, personOf(ctx).Name, store.ChannelUnlinked, in.Channel)
		}
		return err
	})
	answers(api, store.Administrator, http.MethodPost, "/api/links/{channel}/try", func(ctx context.Context,
		in *LinkBody) (Tried, error) {
		link, err := s.readLink(ctx, in)
		if err != nil {
			return Tried{}, err
		}
		if problem := sending.Try(ctx, &link); problem != nil {
			return Tried{Problem: upper(problem.Error()) + "."}, nil
		}
		return Tried{Works: true}, nil
	}, unchecked)
}

// setLink keeps a link, and who changed what of it in the journal.
func (s *Server) setLink(ctx context.Context, link publish.Link) error {
	links, err := s.Store.Links(ctx)
	if err != nil {
		return err
	}
	was, linked := links[link.Channel]
	if err := s.Store.SetLinkFrom(ctx, link, s.Live.Current().Present(s.Clocks.Book())); err != nil {
		return err
	}
	before := "not connected"
	if linked {
		before = linkText(was)
	}
	s.record(ctx, personOf(ctx).Name, store.ChannelLinked,
		fmt.Sprintf("%s: %s; it was: %s", link.Channel, linkText(link), before))
	return nil
}

// linkText is a link in words, without its token.
func linkText(l publish.Link) string {
	token := "no token"
	if l.Token != "" {
		token = "a token"
	}
	a := linkAnswer(l)
	return fmt.Sprintf("%s %s, %s, %s, approval %s, gives up after %s, compares %s, reference %s", l.Kind, l.Address, token,
		l.Sends, a.Approval, a.GiveUpAfter, a.Compare, a.Reference)
}

func linkAnswer(l publish.Link) LinkAnswer {
	out := LinkAnswer{Channel: l.Channel, Kind: l.Kind, Address: l.Address, Token: l.Token != "", Sends: l.Sends,
		GiveUpAfter: short(l.GiveUpAfter), Compare: "off", Reference: string(l.Reference), Pages: l.Pages}
	if l.Compare > 0 {
		out.Compare = short(l.Compare)
	}
	approval := any(l.Approval)
	if l.Approval != "none" && l.Approval != "always" {
		approval = map[string]string{"overPercent": l.Approval}
	}
	out.Approval, _ = json.Marshal(approval)
	return out
}

// short is a duration without zeros at its end: 30m, not 30m0s.
func short(d time.Duration) string {
	text := d.String()
	if strings.HasSuffix(text, "m0s") {
		text = strings.TrimSuffix(text, "0s")
	}
	if strings.HasSuffix(text, "h0m") {
		text = strings.TrimSuffix(text, "0m")
	}
	return text
}

// readLink checks what somebody wrote.
func (s *Server) readLink(ctx context.Context, in *LinkBody) (publish.Link, error) {
	f := &in.Body
	link := publish.Link{Channel: in.Channel, Kind: f.Kind, Address: strings.TrimSpace(f.Address),
		Sends: cmp.Or(f.Sends, "by-hand"), Approval: "none", GiveUpAfter: defaultGiveUp,
		Reference: telling.ReferenceKind(cmp.Or(f.Reference, string(telling.Lowest30))), Pages: strings.TrimSpace(f.Pages)}
	if s.newest(ctx).Channel(in.Channel) == nil {
		return link, fmt.Errorf("channel %q: %w", in.Channel, store.ErrNotFound)
	}
	if err := sending.Check(&link); err != nil {
		return link, err
	}
	if err := readApproval(f.Approval, &link); err != nil {
		return link, err
	}
	if f.GiveUpAfter != "" {
		d, err := time.ParseDuration(f.GiveUpAfter)
		if err != nil || d < time.Second || d > longestGiveUp {
			return link, invalid("giveUpAfter", "must be a time such as 30m, from 1s to 168h")
		}
		link.GiveUpAfter = d
	}
	if f.Compare != "" && f.Compare != "off" {
		d, err := time.ParseDuration(f.Compare)
		if err != nil || d < shortestPeriod || d > longestGiveUp {
			return link, invalid("compare", "must be off, or a time such as 1h, from 1m to 168h")
		}
		link.Compare = d
	}
	if f.Token != nil {
		link.Token = *f.Token
		return link, nil
	}
	links, err := s.Store.Links(ctx)
	if err != nil {
		return link, err
	}
	if was, linked := links[in.Channel]; linked && host(was.Address) == host(link.Address) && was.Kind == link.Kind {
		link.Token = was.Token
	}
	return link, nil
}

func readApproval(text json.RawMessage, link *publish.Link) error {
	if len(text) == 0 {
		return nil
	}
	var word string
	if json.Unmarshal(text, &word) == nil && (word == "none" || word == "always") {
		link.Approval = word
		return nil
	}
	var over struct{ OverPercent *string }
	if json.Unmarshal(text, &over) == nil && over.OverPercent != nil {
		if p, err := money.Parse(*over.OverPercent); err == nil && p.Sign() >= 0 && p.Less(money.Int(1_000_000)) {
			link.Approval = p.String()
			return nil
		}
		return invalid("approval.overPercent", "must be a percent such as \"10\"")
	}
	return invalid("approval", "must be none, always, or {\"overPercent\": \"10\"}")
}

func host(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return ""
	}
	return u.Scheme + "://" + u.Host
}

func upper(text string) string { return strings.ToUpper(text[:1]) + text[1:] }
