package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"deftledger/exchange/cql"
	"deftledger/exchange/shipped"
)

// rules writes the rules that ship, and the measures, as FHIR R4 and CQL, with charts on which another engine's answers can be
// held against ours.
func rules(_ context.Context, args []string) error {
	f := flags("rules")
	out := f.String("out", "", "write into this folder: libraries, plans, charts, and what is expected of each")
	mixed := f.Int("mixed", 500, "how many charts to put together from the examples")
	if err := f.Parse(args); err != nil {
		return err
	}
	if *out == "" {
		return errors.New("say where to write them: deftledger rules --out DIR")
	}
	r, err := shipped.Read()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(*out, 0o755); err != nil {
		return err
	}
	x := cql.Exported{Book: r.Rules, Measures: r.RuleSource.Measures, Sets: r.RuleSource.Sets, Mixed: *mixed,
		Medicine: func(name string) ([]string, []string) {
			return r.Medicines.Classes(name), r.Medicines.Ingredients(name)
		}}
	for i := range r.RuleSource.Files {
		x.Rules = append(x.Rules, &r.RuleSource.Files[i].Rule)
	}
	n, err := x.Write(func(name string, body []byte) error { return os.WriteFile(filepath.Join(*out, name), body, 0o644) })
	if err == nil {
		fmt.Printf("%d of %d rules have a library; what each chart should give stands in expected.tsv and measures.tsv, the rest in cannot.tsv.\n", n, len(x.Rules))
	}
	return err
}
