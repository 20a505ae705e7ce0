package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/ledger"
	"deftledger/store"
)

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
