package testlist

import (
	"bytes"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/order"
	"deftledger/data"
)

func read(t testing.TB, dir string) order.Laboratory {
	t.Helper()
	l, err := ReadCSV(data.TestLists, dir)
	require.NoError(t, err)
	return l
}

// Lists of other makers, written before the reader: testdata/strange/expected.tsv says what
// it should say to each.
func TestListsOfOtherMakers(t *testing.T) {
	text, err := os.ReadFile("testdata/strange/expected.tsv")
	require.NoError(t, err)
	for _, line := range strings.Split(strings.TrimSpace(string(text)), "\n")[1:] {
		f := strings.Split(line, "\t")
		t.Run(f[0], func(t *testing.T) {
			var l order.Laboratory
			var err error
			if strings.HasSuffix(f[0], ".json") {
				in, e := os.Open(filepath.Join("testdata/strange", f[0]))
				require.NoError(t, e)
				defer in.Close()
				l, err = ReadFHIR(f[0], in)
			} else {
				l, err = ReadCSV(os.DirFS("testdata/strange"), f[0])
			}
			if f[1] == "accepted" {
				require.NoError(t, err)
				n, _ := strconv.Atoi(f[2])
				require.Len(t, l.Tests, n)
				return
			}
			require.Error(t, err)
			assert.Contains(t, err.Error(), f[2])
			assert.Contains(t, err.Error(), f[3])
			assert.Empty(t, l.Tests, "nothing of a faulty list is used")
		})
	}
}

// What a bundle of another maker does not say is not known afterwards.
func TestWhatABundleDoesNotSay(t *testing.T) {
	in, err := os.Open("testdata/strange/bundle-plain.json")
	require.NoError(t, err)
	defer in.Close()
	l, err := ReadFHIR("bundle-plain.json", in)
	require.NoError(t, err)
	assert.Equal(t, order.TakesPaper, l.Takes, "that it takes messages is not said")
	chol, ok := l.Test("K100")
	require.True(t, ok)
	assert.Equal(t, -1, chol.Price)
	assert.Equal(t, 0, chol.Turnaround)
	assert.Equal(t, 10, chol.Fasting)
	assert.Equal(t, []order.Need{{Container: "C1", Volume: 1, Minimum: 1, Keep: "refrigerated"}}, chol.Needs)
	tube, _ := l.Container("C1")
	assert.Equal(t, "SST, gold cap", tube.Name)
	assert.Zero(t, tube.Yield)
	assert.False(t, tube.Shared)
	_, child := chol.Analytes[0].RangeFor("F", "2015-03-01", "2026-11-26")
	assert.False(t, child, "the range is for adults")
	r, adult := chol.Analytes[0].RangeFor("F", "1970-03-01", "2026-11-26")
	assert.True(t, adult)
	assert.Equal(t, "<=200", r.Says(), "not the critical one")
	hgb, _ := l.Test("K200")
	_, known := hgb.Analytes[0].RangeFor("", "1970-03-01", "2026-11-26")
	assert.False(t, known, "a range for one sex is not taken where the sex is not known")
}

// The lists that ship read the same after a way through either form.
func TestThereAndBack(t *testing.T) {
	for _, name := range []string{"brinehouse", "northsound"} {
		l := read(t, name)
		files, err := WriteCSV(l)
		require.NoError(t, err)
		folder := fstest.MapFS{}
		for f, text := range files {
			folder[f] = &fstest.MapFile{Data: text}
		}
		again, err := ReadCSV(folder, ".")
		require.NoError(t, err)
		assert.Equal(t, plain(l), plain(again))
		bundle, err := WriteFHIR(l)
		require.NoError(t, err)
		again, err = ReadFHIR("bundle", bytes.NewReader(bundle))
		require.NoError(t, err)
		assert.Equal(t, plain(l), plain(again))
	}
}

// plain is a list without the places it was read from, its containers those in use.
func plain(l order.Laboratory) order.Laboratory {
	used := map[string]bool{}
	var tests []order.Test
	for _, t := range l.Tests {
		t.Place = order.Place{}
		for _, n := range t.Needs {
			used[n.Container] = true
		}
		var as []order.Analyte
		for _, a := range t.Analytes {
			a.Place = order.Place{}
			var rs []order.Range
			for _, r := range a.Ranges {
				r.Place = order.Place{}
				rs = append(rs, r)
			}
			a.Ranges = rs
			as = append(as, a)
		}
		var qs []order.EntryQuestion
		for _, q := range t.Questions {
			q.Place = order.Place{}
			qs = append(qs, q)
		}
		t.Analytes, t.Questions = as, qs
		tests = append(tests, t)
	}
	var sites []order.Site
	for _, s := range l.Sites {
		s.Place = order.Place{}
		sites = append(sites, s)
	}
	out := order.Laboratory{ID: l.ID, Name: l.Name, Facility: l.Facility, CLIA: l.CLIA, Phone: l.Phone, Fax: l.Fax, Address: l.Address, Takes: l.Takes,
		Edition: l.Edition, Source: l.Source, Sites: sites, Tests: tests}
	for _, t := range tests { // in the order in which tests name them
		for _, n := range t.Needs {
			if used[n.Container] {
				c, _ := l.Container(n.Container)
				c.Place = order.Place{}
				out.Containers = append(out.Containers, c)
				used[n.Container] = false
			}
		}
	}
	return out
}

// Bytes of anybody never bring the reader down, and never make half a list.
func FuzzReadFHIR(f *testing.F) {
	for _, name := range []string{"bundle-plain.json", "bundle-retired.json", "bundle-no-observation.json"} {
		text, err := os.ReadFile("testdata/strange/" + name)
		require.NoError(f, err)
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		if l, err := ReadFHIR("fuzz", bytes.NewReader(text)); err == nil {
			require.NotEmpty(t, l.Tests)
			require.NotEmpty(t, l.ID)
		} else {
			require.Empty(t, l.Tests)
		}
	})
}

// FuzzReadCSV does the same for a folder whose tests come from anybody.
func FuzzReadCSV(f *testing.F) {
	for _, dir := range []string{"bom-crlf", "unclosed-quote", "decimal-comma"} {
		text, err := os.ReadFile("testdata/strange/" + dir + "/tests.csv")
		require.NoError(f, err)
		f.Add(text)
	}
	folder := fstest.MapFS{}
	for name := range columns {
		if text, err := os.ReadFile("testdata/strange/bom-crlf/" + name); err == nil {
			folder[name] = &fstest.MapFile{Data: text}
		}
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		files := fstest.MapFS{"tests.csv": &fstest.MapFile{Data: text}}
		for k, v := range folder {
			if k != "tests.csv" {
				files[k] = v
			}
		}
		if l, err := ReadCSV(files, "."); err == nil {
			require.NotEmpty(t, l.Tests)
		}
	})
}
