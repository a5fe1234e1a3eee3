package main

import (
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"sync"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/checks"
	"dogbane/internal/clock"
	"dogbane/internal/codes"
	"dogbane/internal/demo"
	"dogbane/internal/intake"
	"dogbane/internal/jobs"
	"dogbane/internal/mail"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/publish"
	"dogbane/internal/publish/sending"
	"dogbane/internal/publish/timing"
	"dogbane/internal/server"
	"dogbane/internal/store"
	"dogbane/internal/store/localdb"
)

type serveOptions struct {
	data, listen, web string
	scale             int
	fresh, empty      bool
}

// serveCommand runs the workbench with its private database and the demo's stand-in channels.
func serveCommand() *cobra.Command {
	var options serveOptions
	cmd := &cobra.Command{
		Use:   "serve",
		Short: "Serve the workbench; loads the demo when there is no book yet",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			return serve(ctx, options)
		},
	}
	cmd.Flags().StringVar(&options.data, "data", ".dogbane", "folder for the database and the stand-ins")
	cmd.Flags().StringVar(&options.listen, "listen", "127.0.0.1:4180",
		"address to serve on; another free port is taken where this one is in use")
	cmd.Flags().StringVar(&options.web, "web", "web/dist", "the built front end")
	cmd.Flags().IntVar(&options.scale, "scale", 0, "about how many products the demo is made with; 0: its own size")
	cmd.Flags().BoolVar(&options.empty, "empty", false, "begin without the demo, where there is no book yet")
	cmd.Flags().BoolVar(&options.fresh, "fresh", false, "throw the data away and begin anew")
	return cmd
}

func serve(ctx context.Context, options serveOptions) error {
	host, _, err := net.SplitHostPort(options.listen)
	if err != nil || host != "127.0.0.1" && host != "localhost" {
		return fmt.Errorf("--listen %s: the server speaks plain HTTP and listens on 127.0.0.1 only", options.listen)
	}
	if _, err := os.Stat(filepath.Join(options.web, "index.html")); err != nil {
		return fmt.Errorf("the front end is not built: %s has no index.html (./run builds it)", options.web)
	}
	dsn := os.Getenv("DOGBANE_DSN")
	if dsn == "" {
		if options.fresh {
			if err := clear(options.data); err != nil {
				return err
			}
		}
		db, err := localdb.Start(ctx, filepath.Join(options.data, "mariadb"), localdb.Options{Durable: true})
		if err != nil {
			return err
		}
		defer db.Stop()
		dsn = db.DSN("dogbane")
	} else if options.fresh {
		return errors.New("--fresh does not empty a database named by DOGBANE_DSN; empty it yourself")
	}
	s, err := store.Open(ctx, dsn)
	if err != nil {
		return err
	}
	defer s.Close()
	return run(ctx, s, options)
}

// clear removes the data of this program from a folder, and nothing else that may lie there.
func clear(data string) error {
	if db, err := localdb.Start(context.Background(), filepath.Join(data, "mariadb"), localdb.Options{}); err == nil {
		db.Stop() // nobody else uses the folder
	} else if errors.Is(err, localdb.ErrInUse) {
		return err
	}
	if err := os.RemoveAll(filepath.Join(data, "mariadb")); err != nil {
		return fmt.Errorf("begin anew: %w", err)
	}
	if err := os.RemoveAll(filepath.Join(data, highestFile)); err != nil {
		return fmt.Errorf("begin anew: %w", err)
	}
	return clearStandins(data)
}

func clearStandins(data string) error {
	if err := os.RemoveAll(filepath.Join(data, "standins")); err != nil {
		return fmt.Errorf("begin anew: %w", err)
	}
	return nil
}

// run serves from an open store until ctx ends and nothing is under way any more.
func run(ctx context.Context, s *store.Store, options serveOptions) error {
	begun, err := prepare(ctx, s, options)
	if err != nil {
		return err
	}
	sent, err := openHighest(options.data)
	if err != nil {
		return err
	}
	if err := seesRestored(ctx, s, sent); err != nil {
		return err
	}
	live, err := book.OpenLive(ctx, s, checks.Guard(s))
	if err != nil {
		return err
	}
	now := live.Current()
	if err := s.Adopt(ctx, now.Version, func() []byte { return bookfile.Encode(now.Book) }); err != nil {
		return err
	}
	present := clock.NewBook(time.Now)
	if err := setClock(ctx, present, s, live); err != nil {
		return err
	}
	var background sync.WaitGroup
	defer background.Wait()
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	sender := newSender(s, live, present.Now)
	desk := publish.NewDesk(s, present.Now, server.BrokenPrices(s), sender.Wake)
	comparer := &sending.Comparer{Keeper: s, Now: present.Now}
	sender.Newer, sender.Told = comparer.Ask, desk.Turned
	sender.Begins = func(ctx context.Context, p *publish.Publication) error {
		if err := sent.note(p.ID); err != nil {
			return err
		}
		return comparesFirst(ctx, s, comparer, p.Channel)
	}
	// Instances whose clocks differ agree on what is due by the database's.
	common := &clock.Shared{Machine: time.Now}
	if err := common.Ask(ctx, s.Now); err != nil {
		return err
	}
	asks := func(ctx context.Context) { common.Run(ctx, s.Now) }
	background.Go(func() { jobs.Steadily(ctx, "asking the database's clock", asks) })
	due := func() time.Time { return present.Now().Add(common.Off()) }
	parts := server.Parts{Store: s, Live: live, Clocks: clock.Clocks{Book: present.Now, Machine: time.Now}, Sender: sender,
		Desk: desk, Comparer: comparer, Jobs: jobs.NewShelf(ctx),
		Schedule: &timing.Schedule{Desk: desk, Keeper: s, Book: live.Current, Now: due, Wake: sender.Wake},
		Mail:     mail.NewSender(cmp.Or(os.Getenv("DOGBANE_MAIL_FROM"), "shop@dogbane.example"))}
	shop := &demoShop{}
	if present.IsSet() {
		if shop, err = startStandins(ctx, s, options.data, present.Now, &background); err != nil {
			return err
		}
	}
	if address := os.Getenv("DOGBANE_SMTP"); address != "" {
		parts.Mail.Via(address)
	} else if shop.mails != "" {
		parts.Mail.Via(shop.mails)
	}
	if err := begin(ctx, parts, present, begun); err != nil {
		return err
	}
	follow := func(ctx context.Context) { live.Follow(ctx, time.Second) }
	demoEnds := func(ctx context.Context) { followDemo(ctx, present, s) }
	background.Go(func() { jobs.Steadily(ctx, "following other instances", follow) })
	background.Go(func() { jobs.Steadily(ctx, "seeing whether the demo has ended", demoEnds) })
	listener, err := listen(options.listen)
	if err != nil {
		return err
	}
	program := server.New(parts)
	program.DemoEnds = present.Follow
	background.Go(func() { program.Work(ctx) })
	web := &http.Server{Handler: program.Handler(os.DirFS(options.web)), ReadHeaderTimeout: 10 * time.Second}
	failed := make(chan error, 1)
	go func() { failed <- web.Serve(listener) }()
	if err := shop.open(ctx, s, listener.Addr().String(), &background); err != nil {
		return err
	}
	where := ""
	if shop.page != "" {
		where = fmt.Sprintf("\n  Its web shop:       %s", shop.page)
	}
	fmt.Printf("\n  Dogbane is ready:   http://%s/%s\n  Ctrl+C ends it.\n\n", listener.Addr(), where)
	select {
	case err := <-failed:
		return fmt.Errorf("serve: %w", err)
	case <-ctx.Done():
	}
	slog.Info("ending")
	done, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	if err := web.Shutdown(done); err != nil {
		slog.Warn("some requests were cut off", "error", err)
	}
	return nil
}

// begin ends a first start: the demo's opening prices, and somebody who may sign in.
func begin(ctx context.Context, p server.Parts, present *clock.Book, first bool) error {
	if first && present.IsSet() {
		if err := publishOpening(ctx, p); err != nil {
			return err
		}
		if err := setClock(ctx, present, p.Store, p.Live); err != nil { // it does not go back behind what was just published
			return err
		}
		if err := onTheMinute(ctx, p); err != nil {
			return err
		}
	}
	if err := admitSomebody(ctx, p.Store); err != nil || !first {
		return err
	}
	if err := p.Store.SetFact(ctx, "installed", time.Now().UTC().Format(time.RFC3339)); err != nil {
		return err
	}
	return p.Store.DropFact(ctx, "installing")
}

// prepare sees to it that there is a book: the demo's or, with --empty, one that has to be set up. A first start that
// broke off is begun anew. begun says that the start is not whole before it is marked as installed.
func prepare(ctx context.Context, s *store.Store, options serveOptions) (begun bool, err error) {
	installed, err := s.Fact(ctx, "installed")
	if err != nil {
		return false, err
	}
	installing, err := s.Fact(ctx, "installing")
	if err != nil {
		return false, err
	}
	version, err := s.Version(ctx)
	if err != nil {
		return false, err
	}
	switch {
	case installing != "":
		slog.Info("an earlier first start broke off; beginning anew")
		if err := s.Clear(ctx); err != nil {
			return false, err
		}
		if err := clearStandins(options.data); err != nil {
			return false, err
		}
	case installed != "" || version > 0: // an older version's, or brought in from the command line
		if options.empty && installed != "" {
			slog.Info("there is a book already; --empty begins one only where there is none, --fresh --empty anew")
		}
		return false, s.SetFact(ctx, "installed", cmp.Or(installed, "before"))
	}
	what := "demo"
	if options.empty {
		what = "empty"
	}
	if err := s.SetFact(ctx, "installing", what); err != nil {
		return false, err
	}
	if options.empty {
		return true, createEmpty(ctx, s)
	}
	return true, createDemo(ctx, s, options.scale)
}

// createEmpty keeps a book without anything in it, whose currency, time zone and taxes are asked on screen.
func createEmpty(ctx context.Context, s *store.Store) error {
	book, err := bookfile.Decode([]byte(
		`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam","taxRates":{"standard":"21"}}}`))
	if err != nil {
		return fmt.Errorf("make an empty book: %w", err)
	}
	if err := s.Create(ctx, book, "the first start", time.Now().UTC()); err != nil {
		return err
	}
	return s.SetFact(ctx, "set-up", "open")
}

func createDemo(ctx context.Context, s *store.Store, scale int) error {
	slog.Info("loading the demo")
	book := demo.Book(scale)
	zone, err := time.LoadLocation(book.Settings.TimeZone)
	if err != nil {
		return fmt.Errorf("read the demo's time zone: %w", err)
	}
	if err := s.Create(ctx, book, "the demo", demo.PublishedFrom(zone)); err != nil {
		return err
	}
	if err := s.SetFact(ctx, "demo-now", demo.Now); err != nil {
		return err
	}
	return recordDemo(ctx, s, book, demo.PublishedFrom(zone))
}

// recordDemo keeps what stands beside the demo's book: its sales, the day of its exchange rate, its pinned prices.
func recordDemo(ctx context.Context, s *store.Store, book *pricing.Book, at time.Time) error {
	var sales []intake.SoldLine
	for _, one := range demo.Sales(book) {
		sales = append(sales, intake.SoldLine{Moment: one.At, Customer: one.Customer, SKU: one.SKU, Quantity: one.Quantity,
			Paid: one.Paid, Channel: one.Channel})
	}
	if err := s.AddSales(ctx, &intake.SalesFile{Name: "six months of sales", Who: "the demo", At: at}, sales,
		func(int) {}); err != nil {
		return err
	}
	day, err := time.Parse(time.DateOnly, demo.RateDay)
	if err != nil {
		return fmt.Errorf("read the day of the demo's rate: %w", err)
	}
	var days []intake.RateDay
	for currency, rate := range book.Settings.Rates {
		days = append(days, intake.RateDay{Currency: currency, Rate: rate.String(), Day: day})
	}
	if err := s.KeepRateDays(ctx, days); err != nil {
		return err
	}
	vouchers := codes.Batch{Prefix: "FAIR-", Length: 8, Count: 200}
	words, err := vouchers.Make()
	if err != nil {
		return err
	}
	if _, err := s.AddCodes(ctx, demo.Vouchers, words, "the demo", at); err != nil {
		return err
	}
	for _, c := range demo.Checks() {
		if err := s.SaveCheck(ctx, &store.Check{Name: c.Name, Doc: c.Doc, Who: "the demo", At: at}); err != nil {
			return err
		}
	}
	return nil
}

// admitSomebody makes the first accounts, the demo's or an administrator's, and an administrator where nobody can sign
// in as one.
func admitSomebody(ctx context.Context, s *store.Store) error {
	people, err := s.People(ctx)
	if err != nil {
		return err
	}
	isDemo, err := s.Fact(ctx, "demo-now")
	if err != nil {
		return err
	}
	if len(people) == 0 && isDemo != "" {
		hash := store.HashPassword(demo.Password)
		for _, a := range demo.People() {
			p := store.Person{Name: a.Name, FullName: a.FullName, Role: store.Role(a.Role), Active: true, Password: hash,
				Created: time.Now().UTC()}
			if err := s.AddPerson(ctx, p); err != nil {
				return err
			}
		}
		return nil
	}
	return putAdministrator(ctx, s, os.Stdout)
}

// putAdministrator makes an administrator, whose password is printed once, where nobody can sign in as one.
func putAdministrator(ctx context.Context, s *store.Store, out io.Writer) error {
	there, err := s.SomebodyLooksAfterPeople(ctx)
	if err != nil || there {
		return err
	}
	password := rand.Text()
	fmt.Fprintf(out, "\n  Sign in as admin with the password %s and change it.\n", password)
	return s.PutAdministrator(ctx, store.Person{Name: "admin", FullName: "Administrator",
		Password: store.HashPassword(password), Created: time.Now().UTC()})
}

// listen takes the address or, where its port is in use, a free port.
func listen(address string) (net.Listener, error) {
	l, err := net.Listen("tcp", address)
	if errors.Is(err, syscall.EADDRINUSE) {
		host, _, _ := net.SplitHostPort(address)
		return net.Listen("tcp", net.JoinHostPort(host, "0"))
	}
	if err != nil {
		return nil, fmt.Errorf("listen: %w", err)
	}
	return l, nil
}

// lease is for how long a publication belongs to an instance that says nothing any more.
const lease = 3 * time.Second

// newSender sends what is queued, with the book's clock for what is recorded of prices.
func newSender(s *store.Store, live *book.Live, now clock.Clock) *sending.Sender {
	return &sending.Sender{Keeper: s, Owner: rand.Text(), Book: now, Machine: time.Now, Lease: lease,
		Instant: func(p *publish.Publication) string {
			return p.At.Instant(live.Current().Zone).Format("2006-01-02T15:04:05Z07:00")
		},
		Wait: sending.Sleep}
}

// publishOpening brings the demo's channels to the prices of a while ago, as if they had been published then.
func publishOpening(ctx context.Context, p server.Parts) error {
	snap := p.Live.Current()
	then := demo.PublishedFrom(snap.Zone)
	now := func() time.Time { return then }
	sender := newSender(p.Store, p.Live, now)
	desk := publish.NewDesk(p.Store, now, server.BrokenPrices(p.Store), nil)
	for _, c := range snap.Book.Channels {
		d, err := desk.Differences(ctx, snap, c.Code, snap.Moment(then))
		if err != nil {
			return err
		}
		wish := publish.Wish{Who: "the demo", Version: snap.Version, Overrides: map[string]string{}}
		for i := range d.Rows {
			r := &d.Rows[i]
			if slices.ContainsFunc(r.Stops, func(s publish.Stop) bool { return s.Kind == flags.BelowCost }) {
				continue // not chosen: it waits for somebody to decide
			}
			if wish.SKUs = append(wish.SKUs, r.SKU); r.Blocked() {
				wish.Overrides[r.SKU] = "as it was before this program"
			}
		}
		one, err := desk.Prepare(ctx, snap, c.Code, wish)
		if err == nil {
			_, err = desk.Send(ctx, snap, one.ID, wish.Who, "")
		}
		if err == nil {
			err = sender.Look(ctx)
		}
		if err != nil {
			return fmt.Errorf("publish the demo's opening prices: %w", err)
		}
	}
	sender.Idle()
	return ctx.Err()
}

// onTheMinute has the demo's channels that are told by themselves begin to be, at its present.
func onTheMinute(ctx context.Context, p server.Parts) error {
	links, err := p.Store.Links(ctx)
	if err != nil {
		return err
	}
	for _, c := range demo.Standins() {
		if link, linked := links[c.Channel]; linked && c.OnTheMinute {
			link.Sends = "on-the-minute"
			if err := p.Store.SetLinkFrom(ctx, link, p.Live.Current().Present(p.Clocks.Book())); err != nil {
				return err
			}
		}
	}
	return nil
}

// setClock gives the demo's book the demo's own present, never back behind what is already recorded. With the demo that
// ends.
func setClock(ctx context.Context, present *clock.Book, s *store.Store, live *book.Live) error {
	text, err := s.Fact(ctx, "demo-now")
	if err != nil || text == "" {
		return err
	}
	if !demo.Is(live.Current().Book) { // a book of one's own, put there by a program that ended before it could say so
		return s.EndDemo(ctx, "", demo.Password)
	}
	m, err := pricing.ParseMoment(text)
	if err != nil {
		return fmt.Errorf("read the demo's present: %w", err)
	}
	at := m.Instant(live.Current().Zone)
	last, err := s.LastRecorded(ctx)
	if err != nil {
		return err
	}
	if last.After(at) {
		at = last
	}
	present.Set(at)
	return nil
}

// followDemo ends the demo's present when another program has ended the demo.
func followDemo(ctx context.Context, present *clock.Book, s *store.Store) {
	for present.IsSet() {
		select {
		case <-ctx.Done():
			return
		case <-time.After(2 * time.Second):
		}
		if text, err := s.Fact(ctx, "demo-now"); err == nil && text == "" {
			present.Follow()
		}
	}
}
