package main

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"sync"
	"time"

	"dogbane/internal/clock"
	"dogbane/internal/demo"
	"dogbane/internal/publish"
	"dogbane/internal/standin"
	"dogbane/internal/store"
)

// demoShop is the demo's web shop, where there is one.
type demoShop struct {
	shop          *standin.Shop
	channel, page string
	mails         string // where its mailbox takes mails, host:port
	folder        string
}

// open lets the shop ask what carts cost, with a key of its channel.
func (d *demoShop) open(ctx context.Context, s *store.Store, program string) error {
	if d.shop == nil {
		return nil
	}
	file := filepath.Join(d.folder, "key")
	kept, err := os.ReadFile(file)
	if err == nil {
		_, err = s.KeyOf(ctx, string(kept))
	}
	if err != nil {
		key, err := s.MakeKey(ctx, &store.ChannelKey{Channel: d.channel, Name: "the demo's web shop",
			Rights: []string{"feed", "quote", "redeem", "customers"}, Who: "the demo", At: time.Now().UTC()})
		if err != nil {
			return err
		}
		kept = []byte(key)
		if err := os.WriteFile(file, kept, 0o600); err != nil {
			return fmt.Errorf("keep the shop's key: %w", err)
		}
	}
	var buyers []standin.Buyer
	for _, c := range demo.Customers() {
		buyers = append(buyers, standin.Buyer{Code: c.Code, Name: c.Name})
	}
	d.shop.SetBuyers(buyers)
	d.shop.Ask(standin.Quotes{Address: "http://" + program + "/channel/" + d.channel, Key: string(kept)})
	return nil
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
	for i, c := range demo.Standins() {
		if c.Till {
			till, err := standin.OpenTill(filepath.Join(folder, c.Channel+"-till"), c.Currency)
			if err != nil {
				return nil, err
			}
			background.Go(func() { till.Watch(ctx) })
			if err := reach(ctx, s, publish.Link{Channel: c.Channel, Kind: "folder",
				Address: filepath.Join(folder, c.Channel+"-till")}); err != nil {
				return nil, err
			}
			continue
		}
		shop, err := standin.OpenShop(filepath.Join(folder, c.Channel), c.Name, c.Currency, token)
		if err != nil {
			return nil, err
		}
		shop.WholeUnits, shop.Now = c.WholeUnits, now
		if out.shop == nil {
			out.shop, out.channel, shop.Mails = shop, c.Channel, box.Page
		}
		listener, err := listen(fmt.Sprintf("127.0.0.1:%d", 4181+i))
		if err != nil {
			return nil, err
		}
		web := &http.Server{Handler: shop.Handler(), ReadHeaderTimeout: 10 * time.Second}
		background.Go(func() {
			if err := web.Serve(listener); !errors.Is(err, http.ErrServerClosed) {
				slog.Error("a stand-in shop ended", "shop", c.Name, "error", err)
			}
		})
		background.Go(func() {
			<-ctx.Done()
			_ = web.Close()
			shop.Close()
		})
		if err := reach(ctx, s, publish.Link{Channel: c.Channel, Kind: "http",
			Address: fmt.Sprintf("http://%s/interface", listener.Addr()), Token: token}); err != nil {
			return nil, err
		}
		if out.page == "" {
			out.page = fmt.Sprintf("http://%s/", listener.Addr())
		}
	}
	return out, nil
}

// reach keeps where a stand-in is reached, unless somebody has connected its channel otherwise. What was set beside its
// address stays.
func reach(ctx context.Context, s *store.Store, l publish.Link) error {
	links, err := s.Links(ctx)
	if err != nil {
		return err
	}
	l.Sends, l.Approval, l.GiveUpAfter, l.Reference = "by-hand", "none", 30*time.Minute, publish.Lowest30
	if was, known := links[l.Channel]; known {
		if was.Kind != l.Kind || was.Kind == "http" && was.Token != l.Token {
			return nil
		}
		was.Address = l.Address
		l = was
	}
	return s.SetLink(ctx, l)
}
