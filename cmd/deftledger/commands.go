package main

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/app/session"
	"deftledger/core/coding"
	"deftledger/core/ledger"
	"deftledger/data"
	"deftledger/demo"
	"deftledger/exchange/icd10cm"
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
	return s.run(ctx, func() {
		scheme := "http"
		if o.tlsCert != "" {
			scheme = "https"
		}
		fmt.Printf("Deft Ledger is at "+scheme+"://%s, results are received at %s\n", s.http.Addr(), s.mllp.Addr())
	})
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
	lab := &standin.Laboratory{Name: s.config.Laboratory.Name, Facility: s.config.Laboratory.Facility,
		Tests: demo.Offered(s.config.Laboratory), Deliver: s.mllp.Addr().String(), Delay: *delay,
		Diary: filepath.Join(o.data, "standin-laboratory.jsonl")}
	others := demo.Elsewhere(time.Now())
	if err := others.Open("127.0.0.1:0"); err != nil {
		return err
	}
	defer others.Close()
	e := &s.config.Elsewhere
	for _, party := range []*string{&e.Pharmacy, &e.Portal, &e.Device, &e.Fax} {
		if *party == "" { // one that runs elsewhere can be named with its flag
			*party = others.Base()
		}
	}
	empty := false
	if err := s.config.Store.Read(ctx, func(q *store.Q) error {
		staff, err := q.AllStaff()
		empty = len(staff) == 0
		return err
	}); err != nil {
		return err
	}
	if empty {
		fmt.Println("Writing the demo data …")
		if err := demo.Fill(ctx, s.config, time.Now()); err != nil {
			return err
		}
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
			"the third visit;\nEscape leaves the text, q asks the history, e is the examination, ? shows the keys.\nAs jonah, 3 and i open the intake.\n", demo.Password, demo.Secret)
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
	c.Laboratory, c.Vaccines, c.Systems = d.Laboratory, d.Vaccines, d.Systems
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

func verify(ctx context.Context, args []string) error {
	var anchorFile, sinceFile string
	dir, _, err := parseData("verify", args, func(f *flag.FlagSet) {
		f.StringVar(&anchorFile, "anchor", "", "also hold the ledger against heads printed earlier by \"deftledger anchor\"")
		f.StringVar(&sinceFile, "since", "", "only what was sealed after the newest head in this file, printed earlier by \"deftledger anchor\"")
	})
	if err != nil {
		return err
	}
	v := act.Verification{Progress: progress("entries")}
	if v.Anchors, err = readAnchors(anchorFile); err != nil {
		return err
	}
	since, err := readAnchors(sinceFile)
	if err != nil {
		return err
	}
	for _, h := range since {
		if h.Seq > v.Since.Seq {
			v.Since = h
		}
	}
	s, keys, err := open(ctx, dir, false)
	if err != nil {
		return err
	}
	defer s.Close()
	found, err := act.Verify(ctx, s, keys, v)
	if err != nil {
		return err
	}
	if v.Since.Seq > 0 {
		fmt.Printf("%d entries after entry %d are good. Earlier entries and their rows were not looked at.\n", found.Good, v.Since.Seq)
	} else if found.Wrong != "" {
		fmt.Printf("%d entries are good.\n", found.Good)
	} else {
		fmt.Printf("%d entries are good, and %d groups of rows are as the program left them.\n", found.Good, found.Groups)
	}
	if found.Wrong != "" {
		fmt.Printf("NOT GOOD: %s.\n", found.Wrong)
		return errSaid
	}
	return nil
}

// readAnchors reads the heads in a file; none for no file.
func readAnchors(name string) (heads []ledger.Head, err error) {
	if name == "" {
		return nil, nil
	}
	text, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	d := json.NewDecoder(bytes.NewReader(text))
	for {
		var h ledger.Head
		if err := d.Decode(&h); errors.Is(err, io.EOF) {
			return heads, nil
		} else if err != nil {
			return nil, fmt.Errorf("%s is not an anchor: %w", name, err)
		}
		heads = append(heads, h)
	}
}

// progress tells on a terminal how far something is, once a second at most.
func progress(what string) func(done, all int64) {
	info, err := os.Stderr.Stat()
	if err != nil || info.Mode()&os.ModeCharDevice == 0 {
		return nil
	}
	told := time.Now()
	return func(done, all int64) {
		if time.Since(told) > time.Second {
			told = time.Now()
			fmt.Fprintf(os.Stderr, "\r%d of %d %s", done, all, what)
		}
		if done == all {
			fmt.Fprint(os.Stderr, "\r\033[K")
		}
	}
}

func anchor(ctx context.Context, args []string) error {
	dir, _, err := parseData("anchor", args, nil)
	if err != nil {
		return err
	}
	s, keys, err := open(ctx, dir, false)
	if err != nil {
		return err
	}
	defer s.Close()
	found, err := act.Verify(ctx, s, keys, act.Verification{})
	if err != nil {
		return err
	}
	if found.Wrong != "" {
		return fmt.Errorf("the ledger is not good, so its head is not worth keeping: %s", found.Wrong)
	}
	head, err := keys.LastHead()
	if err != nil || head.Seq == 0 {
		return errors.Join(err, errors.New("nothing has been signed yet"))
	}
	return json.NewEncoder(os.Stdout).Encode(head)
}

func backup(ctx context.Context, args []string) error {
	var to string
	dir, rest, err := parseData("backup", args, func(f *flag.FlagSet) {
		f.StringVar(&to, "to", "", "public key of age (age1…): the backup is encrypted to it")
	})
	if err != nil {
		return err
	}
	if len(rest) != 1 {
		return errors.New("say where to: deftledger backup --data DIR [--to age1…] FILE")
	}
	s, _, err := open(ctx, dir, false) // data that cannot be opened are not worth a backup
	if err == nil {
		err = s.Close()
	}
	if err != nil {
		return err
	}
	giveWay()
	path := rest[0]
	if to != "" {
		if _, err := os.Stat(path); err == nil {
			return fmt.Errorf("%s is already there; choose another name", path)
		}
		path += ".plain"
		defer os.Remove(path)
	}
	if err := store.Backup(ctx, dir, path); err != nil {
		return fmt.Errorf("the backup could not be written: %w", err)
	}
	if to != "" {
		if err := encrypt(path, rest[0], to); err != nil {
			return err
		}
	}
	fmt.Printf("Backed up to %s. The sealing key is not in it: keep a copy of the key directory apart.\n", rest[0])
	return nil
}

func restore(ctx context.Context, args []string) (err error) {
	var identity string
	dir, rest, err := parseData("restore", args, func(f *flag.FlagSet) {
		f.StringVar(&identity, "identity", "", "file with the key of age that the backup was encrypted to")
	})
	if err != nil {
		return err
	}
	if len(rest) != 1 || dir == "" {
		return errors.New("say what and where to: deftledger restore --data DIR [--identity FILE] FILE")
	}
	if err := leftovers(dir); err != nil {
		return err
	}
	release, err := lock(dir)
	if err != nil {
		return err
	}
	defer release()
	target := filepath.Join(dir, store.File)
	done := false
	defer func() {
		if !done { // whole, or nothing
			for _, suffix := range []string{"", "-wal", "-shm", ".part"} {
				_ = os.Remove(target + suffix)
			}
		}
	}()
	if err := unpacked(rest[0], target+".part", identity); err != nil {
		return err
	}
	if err := os.Rename(target+".part", target); err != nil {
		return err
	}
	s, keys, err := open(ctx, dir, false)
	if err != nil {
		return err
	}
	defer s.Close()
	found, err := act.Verify(ctx, s, keys, act.Verification{})
	if err != nil {
		return err
	}
	done = true
	cut := strings.Contains(found.Wrong, "the chain ends at entry")
	switch {
	case found.Wrong == "":
		fmt.Printf("Restored; %d entries are good.\n", found.Good)
	case cut || strings.Contains(found.Wrong, "the trail of acts ends at link"):
		fmt.Printf("Restored. %d entries are good, but compared with what was witnessed here: %s.\n", found.Good, found.Wrong)
		fmt.Println("What was done after this backup is not in it.")
	default:
		fmt.Printf("Restored. %d entries are good, but compared with what was witnessed here: %s.\n", found.Good, found.Wrong)
		return errSaid
	}
	if cut {
		fmt.Println("The witness of it is kept beside the sealing key; a new one begins with this backup.")
		if err := keys.Restored(time.Now().UTC().Format(time.RFC3339)); err != nil {
			return err
		}
	}
	if err := s.Write(ctx, func(q *store.Q) error {
		return errors.Join(q.NameCopy(), q.Audit(store.Stamp(time.Now()), "", "restore the data from a backup", "", "", ""))
	}); err != nil {
		return err
	}
	if err := act.CatchUp(ctx, s, keys); errors.Is(err, act.ErrNoWitness) {
		err = act.WitnessAnew(ctx, s, keys)
		if err != nil {
			return err
		}
	} else if err != nil {
		return err
	}
	practice := ""
	if err := s.Read(ctx, func(q *store.Q) (err error) { practice, err = q.Setting("practice"); return err }); err != nil {
		return err
	}
	return keep(dir, practice)
}

func users(ctx context.Context, args []string) error {
	var login, given, family, role, off, on string
	var reset, sessions bool
	dir, _, err := parseData("users", args, func(f *flag.FlagSet) {
		f.StringVar(&login, "add", "", "add a person with this login; password and signing secret are read from standard input, a line each")
		f.StringVar(&given, "given", "", "given name")
		f.StringVar(&family, "family", "", "family name")
		f.StringVar(&role, "role", "", "physician, nurse, medical assistant, front desk or administrator")
		f.BoolVar(&reset, "reset", false, "with --add: give an existing person a new password and signing secret")
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
			return errors.Join(q.SetHashes(p.ID, n.PasswordHash, n.SecretHash), audited(q, "give a person a new password", p.ID))
		}
		n, err := session.NewStaff(login, given, family, role, lines[0], lines[1])
		if err != nil {
			return err
		}
		return errors.Join(q.AddStaff(n), audited(q, "add a person", n.ID))
	})
}

func codes(_ context.Context, args []string) error {
	if len(args) > 1 && args[0] == "search" {
		_, index, err := library("")
		if err != nil {
			return err
		}
		hits := index.Search(strings.Join(args[1:], " "), 20)
		for _, h := range hits {
			kind := "heading "
			if h.Billable {
				kind = "billable"
			}
			fmt.Printf("%s\t%s\t%s\n", h.Code, kind, h.Title)
		}
		if len(hits) == 0 {
			fmt.Fprintln(os.Stderr, "Nothing found.")
			return errSaid
		}
		return nil
	}
	if len(args) > 0 && args[0] == "load" {
		return loadCodes(args[1:])
	}
	if len(args) > 0 && args[0] == "former" {
		return formerCodes(args[1:])
	}
	return errors.New("use \"codes search WORDS\", \"codes load -h\" or \"codes former -h\"")
}

// formerCodes compiles the list of former (ICD-9-CM) codes from the official files.
func formerCodes(args []string) error {
	f := flags("codes former")
	forward := f.String("forward", "", "General Equivalence Mappings from ICD-9-CM to ICD-10-CM (CSV)")
	backward := f.String("backward", "", "General Equivalence Mappings from ICD-10-CM to ICD-9-CM (CSV)")
	titles := f.String("titles", "", "titles of ICD-9-CM version 32 (text, UTF-8)")
	out := f.String("out", "", "write the compact list here (packed)")
	if err := f.Parse(args); err != nil {
		return err
	}
	var in [3]*os.File
	for i, name := range []string{*forward, *backward, *titles} {
		file, err := os.Open(name)
		if err != nil {
			return errors.New("give --forward, --backward, --titles and --out")
		}
		defer file.Close()
		in[i] = file
	}
	var packed bytes.Buffer
	z, err := gzip.NewWriterLevel(&packed, gzip.BestCompression)
	if err != nil {
		return err
	}
	n, err := icd10cm.CompileFormer(in[0], in[1], in[2], z)
	if err == nil {
		err = z.Close()
	}
	if err == nil {
		err = os.WriteFile(*out, packed.Bytes(), 0o600)
	}
	if err == nil {
		fmt.Printf("%d former codes written to %s.\n", n, *out)
	}
	return err
}

func loadCodes(args []string) error {
	var tabular, list, out string
	var r icd10cm.Release
	f := flags("codes load")
	dir := f.String("data", "", "directory that holds all data")
	f.StringVar(&out, "out", "", "write the compact catalogue here instead of into the data directory")
	f.StringVar(&tabular, "tabular", "", "official tabular list (XML)")
	f.StringVar(&list, "codes", "", "official code list or order file (text)")
	f.StringVar(&r.Name, "name", "", "name of the edition, such as \"October 2026\"")
	f.StringVar(&r.Origin, "origin", "CDC/NCHS and CMS", "where the files came from")
	f.StringVar(&r.From, "from", "", "first date of service, YYYY-MM-DD")
	f.StringVar(&r.Until, "until", "", "last date of service, YYYY-MM-DD")
	if err := f.Parse(args); err != nil {
		return err
	}
	for _, d := range []string{r.From, r.Until} {
		if _, err := time.Parse(time.DateOnly, d); err != nil {
			return fmt.Errorf("%q is not a date; give --from and --until as YYYY-MM-DD", d)
		}
	}
	if r.Name == "" || strings.ContainsAny(r.Name, "/\\\t\n") || tabular == "" || list == "" || *dir == "" && out == "" {
		return errors.New("give --tabular, --codes, --name, --from, --until and --data")
	}
	xml, err := os.Open(tabular)
	if err != nil {
		return err
	}
	defer xml.Close()
	text, err := os.Open(list)
	if err != nil {
		return err
	}
	defer text.Close()
	var packed bytes.Buffer
	z, err := gzip.NewWriterLevel(&packed, gzip.BestCompression)
	if err != nil {
		return err
	}
	entries, billable, err := icd10cm.Compile(xml, text, r, z)
	if err != nil {
		return err
	}
	if err := z.Close(); err != nil {
		return err
	}
	unpacked, err := data.Unpack(packed.Bytes())
	if err != nil {
		return err
	}
	if _, err := coding.Load(unpacked); err != nil {
		return fmt.Errorf("the written catalogue does not load: %w", err)
	}
	if out == "" {
		if err := os.MkdirAll(filepath.Join(*dir, "codes"), 0o700); err != nil {
			return err
		}
		out = filepath.Join(*dir, "codes", strings.ToLower(strings.ReplaceAll(r.Name, " ", "-"))+".tsv.gz")
	}
	if err := os.WriteFile(out+".part", packed.Bytes(), 0o600); err != nil {
		return err
	}
	if err := os.Rename(out+".part", out); err != nil {
		return err
	}
	fmt.Printf("%d entries, %d of them billable, from the %s edition; the application uses them after its next start.\n", entries,
		billable, r.Name)
	return nil
}

func openapi(context.Context, []string) error {
	text, err := web.Description()
	if err == nil {
		_, err = os.Stdout.Write(append(text, '\n'))
	}
	return err
}
