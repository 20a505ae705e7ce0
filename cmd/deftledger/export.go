package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"time"

	"deftledger/app"
	"deftledger/app/act"
	"deftledger/data"
	"deftledger/exchange/fhir"
	"deftledger/exchange/shipped"
	"deftledger/store"
)

// exported is how far an export has come: up to which patient, and how long each file is by then.
type exported struct {
	After    string           `json:"after"`
	Patients int              `json:"patients"`
	Sizes    map[string]int64 `json:"sizes"`
	All      bool             `json:"all"`
	Done     bool             `json:"done"`
}

// together is how many patients are written before what was written is kept for certain.
const together = 50

// export writes the practice as NDJSON, a file for each kind of resource (FHIR Bulk Data Access, HL7 2021). Begun again after it was
// stopped, it goes on where it was: what stands in the files beyond the last mark is cut off first.
func export(ctx context.Context, args []string) error {
	var out, zone, practice string
	var all bool
	dir, _, err := parseData("export", args, func(f *flag.FlagSet) {
		f.StringVar(&out, "out", "", "directory that the files are written to; an export that was stopped there goes on")
		f.BoolVar(&all, "all", false, "also of patients who have not agreed that their chart goes out: for moving a practice, not for giving it to others")
		f.StringVar(&zone, "zone", "America/New_York", "time zone of the practice")
		f.StringVar(&practice, "practice", "Skerrow Island Family Practice", "name of the practice")
	})
	if err != nil {
		return err
	}
	if out == "" {
		return errors.New("say where to: deftledger export --data DIR --out DIR")
	}
	place, err := time.LoadLocation(zone)
	if err != nil {
		return fmt.Errorf("%q is not a time zone; give one such as America/New_York", zone)
	}
	s, keys, err := open(ctx, dir, false)
	if err != nil {
		return err
	}
	defer s.Close()
	d, err := shipped.Read()
	if err != nil {
		return err
	}
	a := app.New(act.Config{Store: s, Keys: keys, Laboratories: d.Laboratories, Intervals: d.Intervals, Orderables: d.Orderables, Practice: practice, Location: place, Clock: time.Now, FormFiles: data.Forms,
		Medicines: d.Medicines, Analytes: d.Analytes, House: act.House{Tests: d.HouseTests, Vaccines: d.Vaccines}, Services: d.Services, Rules: d.RuleSource, Screens: d.Screens})
	giveWay()
	if err := os.MkdirAll(out, 0o700); err != nil {
		return err
	}
	at, err := begun(out, all)
	if err != nil {
		return err
	}
	files := map[string]*os.File{}
	defer func() {
		for _, f := range files {
			f.Close()
		}
	}()
	kinds := slices.Sorted(maps.Keys(fhir.SearchParameters))
	for _, kind := range kinds {
		f, err := os.OpenFile(filepath.Join(out, kind+".ndjson"), os.O_CREATE|os.O_RDWR, 0o600)
		if err != nil {
			return err
		}
		files[kind] = f
		if err := errors.Join(f.Truncate(at.Sizes[kind]), seekEnd(f)); err != nil {
			return err
		}
	}
	for {
		if err := ctx.Err(); err != nil {
			return fmt.Errorf("stopped after %d patients; begin it again to go on", at.Patients)
		}
		n := 0
		err := s.Read(ctx, func(q *store.Q) error {
			people, err := q.People(at.After, together)
			if err != nil {
				return err
			}
			n = len(people)
			for _, p := range people {
				served, err := a.Sharing.Everything(q, p.ID, all)
				if err != nil {
					return err
				}
				for _, kind := range kinds {
					lines, err := fhir.NDJSON(served, kind)
					if err != nil {
						return err
					}
					if _, err := files[kind].Write(lines); err != nil {
						return err
					}
					at.Sizes[kind] += int64(len(lines))
				}
				at.After, at.Patients = p.ID, at.Patients+1
			}
			return nil
		})
		if err != nil {
			return err
		}
		for _, f := range files {
			if err := f.Sync(); err != nil {
				return err
			}
		}
		at.Done = n < together
		if err := at.keep(out); err != nil {
			return err
		}
		if at.Done {
			fmt.Printf("%d patients looked at; the files are in %s\n", at.Patients, out)
			return nil
		}
	}
}

const exportMark = "export.json"

// begun is how far an export in a directory has come.
func begun(out string, all bool) (at exported, err error) {
	at = exported{Sizes: map[string]int64{}, All: all}
	raw, err := os.ReadFile(filepath.Join(out, exportMark))
	if errors.Is(err, os.ErrNotExist) {
		return at, nil
	}
	if err == nil {
		err = json.Unmarshal(raw, &at)
	}
	switch {
	case err != nil:
		return at, fmt.Errorf("%s cannot be read, so that nobody knows how far it came; choose another directory: %w", exportMark, err)
	case at.Done:
		return at, fmt.Errorf("the export in %s is complete; choose another directory for a new one", out)
	case at.All != all:
		return at, fmt.Errorf("the export in %s was begun with --all=%t; go on with the same, or choose another directory", out, at.All)
	}
	return at, nil
}

// keep marks how far it has come, whole or not at all.
func (at exported) keep(out string) error {
	raw, err := json.Marshal(at)
	if err != nil {
		return err
	}
	next := filepath.Join(out, exportMark+".next")
	if err := os.WriteFile(next, raw, 0o600); err != nil {
		return err
	}
	return os.Rename(next, filepath.Join(out, exportMark))
}

func seekEnd(f *os.File) error {
	_, err := f.Seek(0, io.SeekEnd)
	return err
}
