package main

import (
	"context"
	"crypto/tls"
	"errors"
	"flag"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"sync"
	"syscall"
	"time"

	"github.com/google/uuid"

	"deftledger/app"
	"deftledger/app/act"
	"deftledger/core/coding"
	"deftledger/core/coverage"
	"deftledger/data"
	"deftledger/exchange/mllp"
	"deftledger/exchange/shipped"
	"deftledger/store"
	"deftledger/ui"
	"deftledger/web"
)

// options are the flags that serve and demo share.
type options struct {
	data, listen, mllp, lab, facility, practice, telephone, zone string
	pharmacy, portal, device, fax, pager, receivers, registry    string
	exchange, exchangeName                                       string
	ask                                                          time.Duration
	idle                                                         time.Duration
	limit, dataLimit                                             int
	lostWitness                                                  bool
	tlsCert, tlsKey                                              string
}

func (o *options) register(f *flag.FlagSet) {
	f.StringVar(&o.data, "data", "", "directory that holds all data")
	f.StringVar(&o.listen, "listen", "127.0.0.1:8420", "address of the application")
	f.StringVar(&o.mllp, "mllp", "127.0.0.1:8421", "address at which results are received (HL7 v2 over MLLP)")
	f.StringVar(&o.lab, "lab", "127.0.0.1:8422", "address of the laboratory that takes orders (HL7 v2 over MLLP)")
	f.StringVar(&o.pharmacy, "pharmacy", "", "base address of the pharmacy network's FHIR interface (none: not connected)")
	f.StringVar(&o.portal, "portal", "", "base address of the patient portal's FHIR interface")
	f.StringVar(&o.device, "device", "", "base address of the cuff and scale's FHIR interface")
	f.StringVar(&o.fax, "fax", "", "base address of the fax line")
	f.StringVar(&o.pager, "pager", "", "base address of the pager, for critical values that nobody has taken up")
	f.StringVar(&o.registry, "registry", "", "address of the immunization registry (HL7 v2 over MLLP; none: not connected)")
	f.StringVar(&o.receivers, "receivers", "", "base address of the FHIR interface of the practices that take referrals (none: not connected)")
	f.StringVar(&o.exchange, "exchange", "", "base address of the FHIR interface of the record exchange (none: not connected)")
	f.StringVar(&o.exchangeName, "exchange-name", "the record exchange", "what the record exchange is called")
	f.DurationVar(&o.ask, "ask", 20*time.Second, "how often practices and pharmacies are asked what became of what was sent to them")
	f.StringVar(&o.facility, "facility", "SKERROW", "name of the practice in messages")
	f.StringVar(&o.telephone, "telephone", "555-0100", "telephone at which laboratories and pharmacies call back")
	f.StringVar(&o.practice, "practice", "Skerrow Island Family Practice", "name of the practice on paper")
	f.StringVar(&o.zone, "zone", "America/New_York", "time zone of the practice")
	f.DurationVar(&o.idle, "idle", 10*time.Minute, "the screen locks after this long without use")
	f.BoolVar(&o.lostWitness, "accept-lost-witness", false, "begin a new witness where the one beside the sealing key is gone: what was cut off before cannot be found then")
	f.StringVar(&o.tlsCert, "tls-cert", "", "certificate (PEM) with which the program itself ends TLS")
	f.StringVar(&o.tlsKey, "tls-key", "", "its key (PEM)")
	f.IntVar(&o.dataLimit, "data-limit", 0, "largest size of the database in megabytes; writes beyond it are refused, not lost (0: no limit)")
	f.IntVar(&o.limit, "message-limit", 8<<20, "largest message received, in bytes")
}

// library loads the editions that ship and those loaded into the data directory.
func library(dir string) (*coding.Library, *coding.Index, error) {
	c, err := shipped.Edition()
	if err != nil {
		return nil, nil, err
	}
	all := []*coding.Catalogue{c}
	more, _ := filepath.Glob(filepath.Join(dir, "codes", "*.tsv.gz"))
	for _, path := range more {
		if dir == "" {
			break
		}
		packed, err := os.ReadFile(path)
		if err != nil {
			return nil, nil, err
		}
		text, err := data.Unpack(packed)
		if err != nil {
			return nil, nil, fmt.Errorf("%s: %w", path, err)
		}
		c, err := coding.Load(text)
		if err != nil {
			return nil, nil, fmt.Errorf("%s: %w", path, err)
		}
		all = append(all, c)
	}
	lib := coding.NewLibrary(all...)
	now, _ := lib.On(time.Now().Format(time.DateOnly))
	return lib, coding.NewIndex(now, data.Everyday, data.Patients), nil
}

// notice is the edition of the advance notice in the data directory, where there is one, else
// the one that ships.
func notice(dir string, ships coverage.Notice) (coverage.Notice, error) {
	text, err := os.ReadFile(filepath.Join(dir, "coverage", "notice.yaml"))
	// A directory that is none is said where it is made.
	if dir == "" || errors.Is(err, os.ErrNotExist) || errors.Is(err, syscall.ENOTDIR) {
		return ships, nil
	}
	if err != nil {
		return ships, err
	}
	return shipped.Notice(text)
}

// open opens the data of a practice and its keys. With create, both are made
// where there are none.
func open(ctx context.Context, dir string, create bool) (*store.Store, *act.Keys, error) {
	if dir == "" {
		return nil, nil, errors.New("say which data with --data DIR")
	}
	if _, err := os.Stat(filepath.Join(dir, store.File)); err != nil && !create {
		return nil, nil, fmt.Errorf("there are no data in %s", dir)
	}
	s, err := store.Open(ctx, dir)
	if err != nil {
		return nil, nil, err
	}
	keys, err := openKeys(ctx, s, dir, create)
	if err != nil {
		s.Close()
		return nil, nil, err
	}
	return s, keys, nil
}

func openKeys(ctx context.Context, s *store.Store, dir string, create bool) (*act.Keys, error) {
	home, err := act.KeyHome()
	if err != nil {
		return nil, err
	}
	practice := ""
	fresh := false
	err = s.Read(ctx, func(q *store.Q) (err error) {
		practice, err = q.Setting("practice")
		return err
	})
	if err == nil {
		err = sameDirectory(dir, practice)
	}
	if err == nil && practice == "" && create {
		practice, fresh = uuid.NewString(), true
		err = s.Write(ctx, func(q *store.Q) error { return q.SetSetting("practice", practice) })
	}
	if err != nil {
		return nil, err
	}
	// A practice that has sealed entries never gets a new key silently.
	if !fresh && create {
		if err := s.Read(ctx, func(q *store.Q) error {
			head, err := q.LedgerHead()
			create = head.Seq == 0
			return err
		}); err != nil {
			return nil, err
		}
	}
	keys, err := act.OpenKeys(home, practice, create)
	if err == nil && create {
		err = keep(dir, practice)
	}
	return keys, err
}

// system is the running application.
type system struct {
	app    *app.App
	config act.Config
	http   net.Listener
	mllp   net.Listener
	limit  int

	release     func() // of the data directory
	lostWitness bool
	cert, key   string        // for TLS; "" for none
	ask         time.Duration // how often others are asked what became of what was sent
}

// settled is how long after a start what nobody has asked for yet is made ready.
const settled = 20 * time.Second

// prepare opens everything that serve and demo need. Addresses are taken first,
// so that a port in use is told before anything is written.
func prepare(ctx context.Context, o options) (*system, error) {
	zone, err := time.LoadLocation(o.zone)
	if err != nil {
		return nil, fmt.Errorf("%q is not a time zone; give one such as America/New_York", o.zone)
	}
	d, err := shipped.Read()
	if err != nil {
		return nil, err
	}
	if d.Notice, err = notice(o.data, d.Notice); err != nil {
		return nil, err
	}
	if (o.tlsCert == "") != (o.tlsKey == "") {
		return nil, errors.New("TLS needs both --tls-cert and --tls-key")
	}
	if o.tlsCert != "" {
		if _, err := tls.LoadX509KeyPair(o.tlsCert, o.tlsKey); err != nil {
			return nil, fmt.Errorf("the certificate and its key cannot be used: %w", err)
		}
	}
	sys := &system{limit: o.limit}
	if sys.http, err = net.Listen("tcp", o.listen); err != nil {
		return nil, fmt.Errorf("the address %s cannot be used, another program may have it; choose one with --listen", o.listen)
	}
	if sys.mllp, err = net.Listen("tcp", o.mllp); err != nil {
		sys.http.Close()
		return nil, fmt.Errorf("the address %s cannot be used, another program may have it; choose one with --mllp", o.mllp)
	}
	codes := sync.OnceValues(func() (loaded, error) {
		lib, index, err := library(o.data)
		return loaded{lib, index}, err
	})
	reader := sync.OnceValues(func() (*coding.Reader, error) {
		l, err := codes()
		if err != nil {
			return nil, err
		}
		c, _ := l.editions.On(time.Now().In(zone).Format(time.DateOnly))
		return coding.NewReader(c, data.Everyday, data.Histories), nil
	})
	// The codes and the reader of texts take most of a second: they are made when the first note asks, or else when the start is over.
	time.AfterFunc(settled, func() { _, _ = reader() })
	sys.lostWitness, sys.cert, sys.key, sys.ask = o.lostWitness, o.tlsCert, o.tlsKey, o.ask
	if sys.release, err = lock(o.data); err != nil {
		sys.http.Close()
		sys.mllp.Close()
		return nil, err
	}
	s, keys, err := open(ctx, o.data, true)
	if err != nil {
		sys.release()
		sys.http.Close()
		sys.mllp.Close()
		return nil, err
	}
	if o.dataLimit > 0 {
		if err := s.LimitSize(ctx, o.dataLimit*256); err != nil { // pages of 4 KiB
			return nil, err
		}
	}
	sys.config = act.Config{Store: s, Keys: keys, Laboratories: d.Laboratories, Intervals: d.Intervals, Orderables: d.Orderables, Medicare: d.Medicare, Notice: d.Notice, LabAddr: o.lab, Facility: o.facility, Practice: o.practice, Telephone: o.telephone,
		Location: zone, Clock: time.Now, IdleAfter: o.idle, FormFiles: data.Forms, Medicines: d.Medicines, Analytes: d.Analytes, Bearing: d.Bearing, Limits: d.Limits, Nicknames: d.Nicknames,
		House: act.House{Tests: d.HouseTests, Vaccines: d.Vaccines}, Services: d.Services, Rules: d.RuleSource, Screens: d.Screens, MailRule: d.MailRule, Sensitive: d.Sensitive,
		Elsewhere: act.Elsewhere{Pharmacy: o.pharmacy, Portal: o.portal, Device: o.device, Fax: o.fax, Pager: o.pager, Receivers: o.receivers, Registry: o.registry, Exchange: o.exchange, ExchangeName: o.exchangeName},
		Reader:    reader,
		Formers: sync.OnceValues(func() (*coding.Formers, error) {
			text, err := data.Formers()
			if err != nil {
				return nil, err
			}
			return coding.LoadFormers(text)
		}),
		Codes: func() (*coding.Library, *coding.Index, error) {
			l, err := codes()
			return l.editions, l.index, err
		}}
	return sys, nil
}

type loaded struct {
	editions *coding.Library
	index    *coding.Index
}

// run serves until ctx ends.
func (s *system) run(ctx context.Context, ready func()) error {
	defer s.release()
	err := act.CatchUp(ctx, s.config.Store, s.config.Keys)
	if errors.Is(err, act.ErrNoWitness) && s.lostWitness {
		err = act.WitnessAnew(ctx, s.config.Store, s.config.Keys)
	}
	if errors.Is(err, act.ErrNoWitness) || errors.Is(err, act.ErrForeignKey) {
		return errors.Join(err, s.http.Close(), s.mllp.Close(), s.config.Store.Close())
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "deftledger: "+err.Error())
	}
	s.app = app.New(s.config)
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	var wg sync.WaitGroup
	wg.Go(func() { s.app.Outbox.Run(ctx) })
	wg.Go(func() { s.app.Reminder.Prepare(ctx) })
	wg.Go(func() { s.app.Result.Inbox(ctx) })
	wg.Go(func() { s.app.Order.Run(ctx) })
	wg.Go(func() { s.app.Result.WatchOn(ctx) })
	wg.Go(func() { s.app.Packet.Run(ctx, s.ask) })
	wg.Go(func() { s.app.Release.Run(ctx, s.ask) })
	wg.Go(func() { s.app.Result.Run(ctx, s.ask) })
	wg.Go(func() { s.app.Referral.Run(ctx, s.ask) })
	wg.Go(func() { s.app.Prescribe.Run(ctx, s.ask) })
	wg.Go(func() { s.app.Sharing.Run(ctx, s.ask) })
	wg.Go(func() {
		for ctx.Err() == nil {
			select {
			case <-ctx.Done():
			case <-time.After(time.Second):
			}
			s.app.WitnessTrail()
		}
	})
	listener := mllp.Server{Limit: s.limit, Handle: s.app.Result.Receive, TooLarge: s.app.Result.TooLarge}
	wg.Go(func() { _ = listener.Serve(s.mllp) })
	server := &http.Server{Handler: web.New(s.app, ui.Files()), ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute,
		BaseContext: func(net.Listener) context.Context { return ctx }}
	failed := make(chan error, 1)
	go func() {
		if s.cert != "" {
			failed <- server.ServeTLS(s.http, s.cert, s.key)
			return
		}
		failed <- server.Serve(s.http)
	}()
	if ready != nil {
		ready()
	}
	select {
	case <-ctx.Done():
	case err = <-failed:
	}
	stop()
	s.mllp.Close()
	closing, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	_ = server.Shutdown(closing)
	wg.Wait()
	s.app.WitnessTrail()
	return errors.Join(err, s.config.Store.Close())
}
