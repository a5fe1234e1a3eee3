package main

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"dogbane/internal/clock"
	"dogbane/internal/demo"
	"dogbane/internal/publish"
	"dogbane/internal/publish/telling"
	"dogbane/internal/standin"
	"dogbane/internal/store"
)

// demoShop is the demo's web shop, where there is one, with the other simulated channels.
type demoShop struct {
	shop          *standin.Shop
	channel, page string
	tills         []sells
	mails         string // where its mailbox takes mails, host:port
	folder        string
	feeds         []fed
	behave        []func() // has each behave as it does from the second publication on
}

// fed is a shop that fetches its channel's feed.
type fed struct {
	shop    *standin.Shop
	channel string
}

// sells is a till that asks what a basket costs in its channel.
type sells struct {
	till    *standin.Till
	channel string
}

// open lets the shops ask what they ask, each with a key of its channel: what carts cost, and feeds.
func (d *demoShop) open(ctx context.Context, s *store.Store, program string, background *sync.WaitGroup) error {
	if d.shop == nil {
		return nil
	}
	for _, behave := range d.behave {
		behave()
	}
	links, err := s.Links(ctx)
	if err != nil {
		return err
	}
	for _, f := range d.feeds {
		if links[f.channel].Kind != publish.Feed { // somebody has it told otherwise
			continue
		}
		key, err := keyOf(ctx, s, filepath.Join(d.folder, f.channel), f.channel, "feed")
		if err != nil {
			return err
		}
		background.Go(func() {
			f.shop.Fetch(ctx, "http://"+program+"/feeds/"+f.channel+".csv", key, fetchEvery)
		})
	}
	key, err := keyOf(ctx, s, d.folder, d.channel, "feed", "quote", "redeem", "customers")
	if err != nil {
		return err
	}
	var buyers []standin.Buyer
	for _, c := range demo.Customers() {
		buyers = append(buyers, standin.Buyer{Code: c.Code, Name: c.Name})
	}
	d.shop.SetBuyers(buyers)
	d.shop.Ask(standin.Quotes{Address: "http://" + program + "/channel/" + d.channel, Key: key})
	for _, t := range d.tills {
		key, err := keyOf(ctx, s, filepath.Join(d.folder, t.channel+"-till"), t.channel, "quote", "redeem", "customers")
		if err != nil {
			return err
		}
		t.till.SetBuyers(buyers)
		t.till.Ask(standin.Quotes{Address: "http://" + program + "/channel/" + t.channel, Key: key})
	}
	return nil
}

// fetchEvery is how often a stand-in fetches its feed.
const fetchEvery = 2 * time.Second

// keyOf is a stand-in's key of its channel, made when it is first wanted and kept in a folder.
func keyOf(ctx context.Context, s *store.Store, folder, channel string, rights ...string) (string, error) {
	file := filepath.Join(folder, "key")
	kept, err := os.ReadFile(file)
	if err == nil {
		if _, err = s.KeyOf(ctx, string(kept)); err == nil {
			return string(kept), nil
		}
	}
	key, err := s.MakeKey(ctx, &store.ChannelKey{Channel: channel, Name: "the demo's " + channel, Rights: rights,
		Who: "the demo", At: time.Now().UTC()})
	if err != nil {
		return "", err
	}
	if err := os.WriteFile(file, []byte(key), 0o600); err != nil {
		return "", fmt.Errorf("keep a stand-in's key: %w", err)
	}
	return key, nil
}

// startMailbox takes the mails to the demo's customers.
func startMailbox(ctx context.Context, d *demoShop, background *sync.WaitGroup) (*standin.Mailbox, error) {
	box, err := standin.OpenMailbox()
	if err != nil {
		return nil, err
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, fmt.Errorf("listen for mails: %w", err)
	}
	d.mails = l.Addr().String()
	background.Go(func() { box.Serve(ctx, l) })
	return box, nil
}

// shopToken is what the stand-in shops want to be shown: made at the first start, kept beside their goods.
func shopToken(folder string) (string, error) {
	file := filepath.Join(folder, "token")
	if kept, err := os.ReadFile(file); err == nil && len(kept) > 0 {
		return string(kept), nil
	}
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return "", fmt.Errorf("make the stand-ins' folder: %w", err)
	}
	token := rand.Text()
	if err := os.WriteFile(file, []byte(token), 0o600); err != nil {
		return "", fmt.Errorf("keep the stand-ins' token: %w", err)
	}
	return token, nil
}

// startStandins starts the simulated channels and keeps where they are reached. It returns the web shop.
func startStandins(ctx context.Context, s *store.Store, data string, now clock.Clock,
	background *sync.WaitGroup) (*demoShop, error) {
	folder, err := filepath.Abs(filepath.Join(data, "standins"))
	if err != nil {
		return nil, fmt.Errorf("find the stand-ins' folder: %w", err)
	}
	token, err := shopToken(folder)
	if err != nil {
		return nil, err
	}
	out := &demoShop{folder: folder}
	box, err := startMailbox(ctx, out, background)
	if err != nil {
		return nil, err
	}
	zone, err := time.LoadLocation(demo.TimeZone)
	if err != nil {
		return nil, fmt.Errorf("find the demo's time zone: %w", err)
	}
	var others []standin.Other
	for i, c := range demo.Standins() {
		listener, err := listen(fmt.Sprintf("127.0.0.1:%d", 4181+i))
		if err != nil {
			return nil, err
		}
		page := fmt.Sprintf("http://%s/", listener.Addr())
		link := publish.Link{Channel: c.Channel, Kind: publish.HTTP, Address: page + "interface", Token: token}
		var pages http.Handler
		closing := func() {}
		if c.Till {
			till, err := standin.OpenTill(filepath.Join(folder, c.Channel+"-till"), c.Name, c.Currency)
			if err != nil {
				return nil, err
			}
			till.Now = func() time.Time { return now().In(zone) }
			out.behave = append(out.behave, func() { till.Behave(standin.TillManners{CutOff: c.CutOff}) })
			background.Go(func() { till.Watch(ctx) })
			out.tills = append(out.tills, sells{till, c.Channel})
			link = publish.Link{Channel: c.Channel, Kind: publish.Folder, Address: filepath.Join(folder, c.Channel+"-till")}
			pages = till.Handler()
		} else {
			shop, err := standin.OpenShop(filepath.Join(folder, c.Channel), c.Name, c.Currency, token)
			if err != nil {
				return nil, err
			}
			shop.WholeUnits, shop.Now = c.WholeUnits, now
			out.behave = append(out.behave, func() { shop.Behave(standin.Manners{Reviews: c.Reviews}) })
			if out.shop == nil {
				out.shop, out.channel, out.page, shop.Mails = shop, c.Channel, page, box.Page
			}
			link.Pages = page + "goods/{sku}"
			if c.Feed {
				link = publish.Link{Channel: c.Channel, Kind: publish.Feed, Pages: link.Pages}
				out.feeds = append(out.feeds, fed{shop, c.Channel})
			}
			pages, closing = shop.Handler(), shop.Close
		}
		others = append(others, standin.Other{Name: c.Name, Page: page})
		web := &http.Server{Handler: pages, ReadHeaderTimeout: 10 * time.Second}
		background.Go(func() {
			if err := web.Serve(listener); !errors.Is(err, http.ErrServerClosed) {
				slog.Error("a stand-in ended", "channel", c.Name, "error", err)
			}
		})
		background.Go(func() {
			<-ctx.Done()
			_ = web.Close()
			closing()
		})
		if err := reach(ctx, s, link, token, folder); err != nil {
			return nil, err
		}
	}
	out.shop.Others = others[1:]
	return out, nil
}

// reach keeps where a stand-in is reached, unless somebody has connected its channel otherwise. What was set beside its
// address stays.
func reach(ctx context.Context, s *store.Store, l publish.Link, token, folder string) error {
	links, err := s.Links(ctx)
	if err != nil {
		return err
	}
	l.Sends, l.Approval, l.GiveUpAfter, l.Reference = "by-hand", "none", 30*time.Minute, telling.Lowest30
	if was, known := links[l.Channel]; known {
		if !isStandin(&was, token, folder) {
			return nil
		}
		was.Kind, was.Address, was.Token, was.Pages = l.Kind, l.Address, l.Token, l.Pages
		l = was
	}
	return s.SetLink(ctx, l)
}

// isStandin reports whether a link leads to a stand-in, wherever and by whatever means an earlier version reached it:
// with the stand-ins' own token, through a folder of theirs, or by a feed, which leads nowhere else.
func isStandin(l *publish.Link, token, folder string) bool {
	switch l.Kind {
	case publish.HTTP:
		u, err := url.Parse(l.Address)
		return l.Token == token || err == nil && u.Hostname() == "127.0.0.1" &&
			(u.Path == "/interface" || u.Path == "/interface/prices")
	case publish.Folder:
		return filepath.Base(filepath.Dir(l.Address)) == filepath.Base(folder) && strings.HasSuffix(l.Address, "-till")
	}
	return l.Kind == publish.Feed
}
