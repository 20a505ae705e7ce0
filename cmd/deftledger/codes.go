package main

import (
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"deftledger/core/coding"
	"deftledger/data"
	"deftledger/exchange/icd10cm"
)

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
