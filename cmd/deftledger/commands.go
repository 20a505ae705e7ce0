package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"deftledger/app/session"
	"deftledger/demo"
	"deftledger/exchange/shipped"
	"deftledger/generate"
	"deftledger/standin"
	"deftledger/store"
	"deftledger/web"
)

func flags(name string) *flag.FlagSet {
	return flag.NewFlagSet("deftledger "+name, flag.ContinueOnError)
}

func serve(ctx context.Context, args []string) error {
	var o options
	f := flags("serve")
	o.register(f)
	if err := f.Parse(args); err != nil {
		return err
	}
	if o.data == "" {
		return errors.New("say which data with --data DIR")
	}
	s, err := prepare(ctx, o)
	if err != nil {
		return err
	}
	empty, err := nobody(ctx, s.config.Store)
	if err != nil {
		return err
	}
	if empty {
		fmt.Printf("Nobody can sign in yet. Beside it, begin with\n  printf 'PASSWORD\\nSIGNING SECRET\\n' | %s users --data %s "+
			"--add LOGIN --given NAME --family NAME --role administrator\n", os.Args[0], o.data)
	}
	return s.run(ctx, func() {
		scheme := "http"
		if o.tlsCert != "" {
			scheme = "https"
		}
		fmt.Printf("Deft Ledger is at "+scheme+"://%s, results are received at %s\n", s.http.Addr(), s.mllp.Addr())
	})
}

// nobody says whether nobody can sign in yet.
func nobody(ctx context.Context, s *store.Store) (empty bool, err error) {
	err = s.Read(ctx, func(q *store.Q) error {
		staff, err := q.AllStaff()
		empty = len(staff) == 0
		return err
	})
	return empty, err
}

func runDemo(ctx context.Context, args []string) error {
	var o options
	f := flags("demo")
	o.register(f)
	delay := f.Duration("lab-delay", 6*time.Second, "how long the simulated laboratory takes for each report")
	if err := f.Parse(args); err != nil {
		return err
	}
	if o.data == "" {
		dir, err := os.MkdirTemp("", "deftledger-demo-")
		if err != nil {
			return err
		}
		o.data = dir
	}
	s, err := prepare(ctx, o)
	if err != nil {
		return err
	}
	lab := &standin.Laboratory{Name: s.config.Laboratory("").Name, Facility: s.config.Laboratory("").Facility,
		Tests: demo.Offered(*s.config.Laboratory("")), Deliver: s.mllp.Addr().String(), Delay: *delay,
		Diary: filepath.Join(o.data, "standin-laboratory.jsonl")}
	others := demo.Elsewhere(time.Now())
	if err := others.Open("127.0.0.1:0"); err != nil {
		return err
	}
	defer others.Close()
	e := &s.config.Elsewhere
	for _, party := range []*string{&e.Pharmacy, &e.Portal, &e.Device, &e.Fax, &e.Pager, &e.Receivers} {
		if *party == "" { // one that runs elsewhere can be named with its flag
			*party = others.Base()
		}
	}
	empty, err := nobody(ctx, s.config.Store)
	if err != nil {
		return err
	}
	if empty {
		fmt.Println("Writing the demo data …")
		asked := others.Questions // written today, and not while the past is told
		others.Set(func(e *standin.Elsewhere) { e.Questions = nil })
		if err := demo.Fill(ctx, s.config, time.Now()); err != nil {
			return err
		}
		others.Set(func(e *standin.Elsewhere) { e.Questions = asked })
	}
	registry := &standin.Registry{Facility: "ISLANDS"}
	if err := registry.Open("127.0.0.1:0"); err != nil {
		return err
	}
	defer registry.Close()
	if e.Registry == "" { // not while the past is told
		e.Registry = registry.Addr()
	}
	exchange := demo.Exchange(time.Now())
	if err := exchange.Open("127.0.0.1:0"); err != nil {
		return err
	}
	defer exchange.Close()
	if e.Exchange == "" {
		e.Exchange, e.ExchangeName = exchange.Base(), "the Tidewrack Exchange"
	}
	if err := lab.Open(o.lab); err != nil {
		return fmt.Errorf("the address %s cannot be used, another program may have it; choose one with --lab", o.lab)
	}
	defer lab.Close()
	return s.run(ctx, func() {
		fmt.Printf("\nDeft Ledger is at http://%s, results are received at %s   (Ctrl-C ends it)\nData: %s\n\nSign in as one of\n", s.http.Addr(),
			s.mllp.Addr(), o.data)
		for _, p := range demo.People {
			fmt.Printf("  %-8s %s %s, %s\n", p.Login, p.Given, p.Family, p.Role)
		}
		fmt.Printf("password %s, signing secret %s\n\nTry first: sign in as maren, step past the note that waits (Alt U), press 3 and v for "+
			"the third visit;\nEscape leaves the text, q asks the history, e is the examination, ? shows the keys.\nIn a chart r is the reminder round. As jonah, 3 and i open the intake.\n", demo.Password, demo.Secret)
	})
}

// generated makes a practice of invented people in an empty directory, for measuring.
func generated(ctx context.Context, args []string) error {
	var c generate.Config
	var until, zone string
	dir, _, err := parseData("generate", args, func(f *flag.FlagSet) {
		f.IntVar(&c.Patients, "patients", 1000, "how many people")
		f.Uint64Var(&c.Seed, "seed", 1, "the same seed and day make the same practice")
		f.StringVar(&until, "until", "", "the practice's today, YYYY-MM-DD (default: today)")
		f.StringVar(&zone, "zone", "America/New_York", "time zone of the practice")
	})
	if err != nil {
		return err
	}
	if c.Patients < 1 || c.Patients > 1_000_000 {
		return errors.New("give --patients from 1 to 1000000")
	}
	if c.Location, err = time.LoadLocation(zone); err != nil {
		return fmt.Errorf("%q is not a time zone; give one such as America/New_York", zone)
	}
	c.Until = time.Now()
	if until != "" {
		day, err := time.ParseInLocation(time.DateOnly, until, c.Location)
		if err != nil {
			return fmt.Errorf("%q is not a date; give --until as YYYY-MM-DD", until)
		}
		c.Until = day.Add(12 * time.Hour)
	}
	d, err := shipped.Read()
	if err != nil {
		return err
	}
	lib, _, err := library("")
	if err != nil {
		return err
	}
	c.Laboratory, c.Vaccines, c.Systems = d.Laboratories[0], d.Vaccines, d.Systems
	c.Codes, _ = lib.On(c.Until.Format(time.DateOnly))
	if c.Store, c.Keys, err = open(ctx, dir, true); err != nil {
		return err
	}
	defer c.Store.Close()
	var staff []store.Staff
	if err := c.Store.Read(ctx, func(q *store.Q) (err error) {
		staff, err = q.AllStaff()
		return err
	}); err != nil {
		return err
	}
	if len(staff) > 0 {
		return fmt.Errorf("there are data in %s already; generate into an empty directory", dir)
	}
	c.Progress = progress("visits")
	n, err := generate.Fill(ctx, c)
	if err != nil {
		return err
	}
	fmt.Printf("%d people, %d visits, %d signed notes, %d orders, %d reports with %d values, %d sealed entries.\nSign in as physician1, "+
		"nurse1, assistant1, desk1 or admin: password %s, signing secret %s.\n",
		n.Patients, n.Visits, n.Notes, n.Orders, n.Reports, n.Values, n.Entries, generate.Password, generate.Secret)
	return nil
}

func parseData(name string, args []string, more func(*flag.FlagSet)) (dir string, rest []string, err error) {
	f := flags(name)
	f.StringVar(&dir, "data", "", "directory that holds all data")
	if more != nil {
		more(f)
	}
	err = f.Parse(args)
	return dir, f.Args(), err
}

func users(ctx context.Context, args []string) error {
	var login, given, family, role, off, on string
	var reset, sessions bool
	dir, _, err := parseData("users", args, func(f *flag.FlagSet) {
		f.StringVar(&login, "add", "", "add a person with this login; password and signing secret are read from standard input, a line each")
		f.StringVar(&given, "given", "", "given name")
		f.StringVar(&family, "family", "", "family name")
		f.StringVar(&role, "role", "", "physician, nurse, medical assistant, front desk or administrator")
		f.BoolVar(&reset, "reset", false, "with --add: give an existing person a new password and signing secret, and take the second factor away")
		f.StringVar(&off, "deactivate", "", "let the person with this login in no more, and end their sessions")
		f.StringVar(&on, "activate", "", "let the person with this login in again")
		f.BoolVar(&sessions, "sessions", false, "list who is signed in")
	})
	if err != nil {
		return err
	}
	s, _, err := open(ctx, dir, login != "" && !reset)
	if err != nil {
		return err
	}
	defer s.Close()
	audited := func(q *store.Q, what, staff string) error {
		return q.Audit(store.Stamp(time.Now()), "", what, "", staff, "")
	}
	if l := off + on; l != "" {
		return s.Write(ctx, func(q *store.Q) error {
			staff, err := q.AllStaff()
			i := slices.IndexFunc(staff, func(p store.Staff) bool { return p.Login == l })
			if err != nil || i < 0 {
				return errors.Join(err, fmt.Errorf("there is nobody with the login %q", l))
			}
			what := map[bool]string{true: "let a person in again", false: "let a person in no more"}[on != ""]
			return errors.Join(q.SetActive(staff[i].ID, on != ""), audited(q, what, staff[i].ID))
		})
	}
	if login == "" {
		return s.Read(ctx, func(q *store.Q) error {
			staff, err := q.AllStaff()
			if err != nil {
				return err
			}
			for _, p := range staff {
				said := ""
				if !p.Active {
					said = ", not let in"
				}
				fmt.Printf("%-12s %s, %s%s\n", p.Login, p.Name(), p.Role, said)
				if !sessions {
					continue
				}
				all, err := q.SessionsOf(p.ID, time.Time{})
				if err != nil {
					return err
				}
				for _, x := range all {
					fmt.Printf("%-12s signed in since %s, last used %s\n", "", x.Created.Local().Format("02 Jan 15:04"), x.Seen.Local().Format("02 Jan 15:04"))
				}
			}
			return nil
		})
	}
	text, err := io.ReadAll(io.LimitReader(os.Stdin, 10_000))
	if err != nil {
		return err
	}
	lines := strings.Split(strings.ReplaceAll(string(text), "\r\n", "\n"), "\n")
	if len(lines) < 2 {
		return errors.New("give the password and the signing secret on standard input, a line each")
	}
	return s.Write(ctx, func(q *store.Q) error {
		if reset {
			p, err := q.StaffByLogin(login)
			if err != nil {
				return fmt.Errorf("there is nobody with the login %q", login)
			}
			given, family, role = p.Given, p.Family, p.Role
			n, err := session.NewStaff(login, given, family, role, lines[0], lines[1])
			if err != nil {
				return err
			}
			// The second factor goes with them: who resets it is who may.
			return errors.Join(q.SetHashes(p.ID, n.PasswordHash, n.SecretHash), q.DropFactor(p.ID), audited(q, "give a person a new password", p.ID))
		}
		n, err := session.NewStaff(login, given, family, role, lines[0], lines[1])
		if err != nil {
			return err
		}
		if err := errors.Join(q.AddStaff(n), audited(q, "add a person", n.ID)); err != nil {
			return err
		}
		fmt.Printf("%s %s, %s, can sign in as %s.\n", given, family, role, login)
		return nil
	})
}

func openapi(context.Context, []string) error {
	text, err := web.Description()
	if err == nil {
		_, err = os.Stdout.Write(append(text, '\n'))
	}
	return err
}
