package pdf

import (
	"bytes"
	"compress/zlib"
	"fmt"
	"io"
	"regexp"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/require"
)

// pages returns the text operators of each page, decompressed.
func pages(t *testing.T, raw []byte) []string {
	t.Helper()
	var out []string
	for _, m := range regexp.MustCompile(`(?s)stream\n(.*?)\nendstream`).FindAllSubmatch(raw, -1) {
		z, err := zlib.NewReader(bytes.NewReader(m[1]))
		if err != nil {
			continue
		}
		text, _ := io.ReadAll(z)
		if bytes.Contains(text, []byte("BT ")) {
			out = append(out, string(text))
		}
	}
	return out
}

// wide is how a text stands in the stream: UTF-16 with its special bytes escaped.
func wide(s string) string {
	var b strings.Builder
	for _, u := range utf16.Encode([]rune(s)) {
		b.WriteByte(byte(u >> 8))
		b.WriteByte(byte(u))
	}
	return strings.NewReplacer(`\`, `\\`, "(", `\(`, ")", `\)`).Replace(b.String())
}

func TestEveryPageCarriesPatientSignerTimeAndFolio(t *testing.T) {
	long := strings.Repeat("A sentence that fills the page with what was found. ", 220)
	d := Document{Practice: "SKERROW", Title: "Acute visit", Subtitle: "Toe pain", Patient: "Ottoline Marsh-Adeyemi",
		Identity: "born 1968-03-14, record SK-20418", Visit: "2026-11-23T10:20:00-05:00",
		Entries: []Entry{
			{Folio: 41, SignedBy: "Maren Oduya", SignedAt: "2026-11-23T11:02:33-05:00", Hash: strings.Repeat("a", 64),
				Sections: []Section{{"Subjective", long}, {"Plan", "Rest."}}},
			{Folio: 44, SignedBy: "Tobias Lindqvist-Rao", SignedAt: "2026-11-24T09:00:00-05:00", Hash: strings.Repeat("b", 64),
				Sections: []Section{{"Amendment", "The left, not the right."}}},
		}}
	raw, err := Render(d)
	require.NoError(t, err)
	ps := pages(t, raw)
	require.GreaterOrEqual(t, len(ps), 4)
	for i, p := range ps {
		require.Contains(t, p, wide("Ottoline Marsh-Adeyemi"), "page %d", i+1)
		folio, by, at := "Folio 41", "Maren Oduya", "23 Nov 2026, 11:02 -0500"
		if i == len(ps)-1 {
			folio, by, at = "Folio 44", "Tobias Lindqvist-Rao", "24 Nov 2026, 09:00 -0500"
		}
		require.Contains(t, p, wide(folio), "page %d", i+1)
		require.Contains(t, p, wide("Signed by "+by+", "+at), "page %d", i+1)
		require.Contains(t, p, wide(fmt.Sprintf("page %d of %d", i+1, len(ps))))
	}
}

// What somebody types is never taken for what the program puts in.
func TestNobodysWordsBecomeTheNumberOfPages(t *testing.T) {
	raw, err := Render(Document{Title: "Letter", Patient: "Ann", Entries: []Entry{{Sections: []Section{{"Plan", "Print {pages} and {nb} copies \uE001."}}}}})
	require.NoError(t, err)
	ps := pages(t, raw)
	require.Len(t, ps, 1)
	require.Contains(t, ps[0], wide("Print {pages} and {nb} copies [U+E001]."))
	require.Contains(t, ps[0], wide("page 1 of 1"))
}

func TestNothingDisappearsOnPaper(t *testing.T) {
	require.Equal(t, "SpO2 >= 92 %, T 38.1 °C, 5 µg, Łukasz Škoda, 3 × 2, ½, -> [U+4E2D]",
		printable("SpO2 ≥ 92 %, T 38.1 °C, 5 µg, Łukasz Škoda, 3 × 2, ½, → 中", inSerif()))
	require.Equal(t, "5 mcg", printable("5 µg", inSans()), "the safe way to write it where the letter is missing")
	raw, err := Render(Document{Patient: "Łukasz Škoda", Entries: []Entry{{Folio: 1, Sections: []Section{{"Plan", "Keep ≥ 92 %."}}}}})
	require.NoError(t, err)
	require.Contains(t, pages(t, raw)[0], wide("Keep >= 92 %."))
	require.Contains(t, pages(t, raw)[0], wide("Łukasz Škoda"))
}

func TestDrawingsAndMarksArePrinted(t *testing.T) {
	entry := Entry{Folio: 3, SignedBy: "Maren Oduya", SignedAt: "2026-11-23T11:02:33-05:00", Hash: strings.Repeat("a", 64),
		Sections: []Section{{"Objective", "Tender."}}}
	plain, err := Render(Document{Title: "Acute visit", Patient: "Bram Tollefsen", Visit: "2026-11-23T09:00:00-05:00",
		Entries: []Entry{entry}})
	require.NoError(t, err)
	entry.Drawings = []Drawing{{"Where it hurts",
		`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 500"><path d="M10 10 L20 20 Q30 30 40 10" fill="none"/><g stroke="#A8431A"><line x1="10" y1="10" x2="30" y2="40" stroke-width="2.5"/></g></svg>`}}
	raw, err := Render(Document{Title: "Acute visit", Patient: "Bram Tollefsen", Visit: "2026-11-23T09:00:00-05:00",
		Mark: "Retracted: another patient", Entries: []Entry{entry}})
	require.NoError(t, err)
	page := pages(t, raw)[0]
	require.Contains(t, page, wide("Where it hurts"))
	require.Contains(t, page, wide("Retracted: another patient"))
	require.Greater(t, strings.Count(page, " l S"), strings.Count(pages(t, plain)[0], " l S"), "the stroke is drawn")
	require.Contains(t, page, "0.659 0.263 0.102 RG", "in its color, #A8431A")
	for _, bad := range []string{"<svg", `<svg><g stroke="url(x)"><line x1="1" y1="1" x2="2" y2="2"/></g></svg>`} {
		entry.Drawings[0].SVG = bad
		_, err := Render(Document{Title: "x", Entries: []Entry{entry}})
		require.Error(t, err, bad)
	}
}

func TestALongDrawingTakesAPageOfItsOwn(t *testing.T) {
	e := Entry{Folio: 1, SignedBy: "Maren Oduya", SignedAt: "2026-11-23T11:02:33-05:00",
		Sections: []Section{{"Objective", strings.Repeat("Filled with words. ", 130)}}}
	without, err := Render(Document{Title: "Visit", Entries: []Entry{e}})
	require.NoError(t, err)
	e.Drawings = []Drawing{{"Back", `<svg><path d="M0 0 L400 500"/></svg>`}}
	with, err := Render(Document{Title: "Visit", Entries: []Entry{e}})
	require.NoError(t, err)
	require.Equal(t, len(pages(t, without))+1, len(pages(t, with)))
	require.Contains(t, pages(t, with)[1], wide("Folio 1"), "with signer and folio")
}

// A leaflet is signed by nobody and does not say "Not signed"; a letter without a heading
// begins with its words; characters that a typeface lacks stand in titles too.
func TestLeafletsAndLettersOnPaper(t *testing.T) {
	d := Document{Practice: "Skerrow", Title: "Leaflet: ≥ 3 attacks", Patient: "Ottoline Marsh-Adeyemi", Identity: "born 14 Mar 1968",
		Visit: "2026-11-23T10:20:00-05:00", Unsigned: true,
		Entries: []Entry{{Sections: []Section{{"", "Rest the joint."}}}}}
	raw, err := Render(d)
	require.NoError(t, err)
	page := pages(t, raw)[0]
	for _, words := range []string{"Leaflet: >= 3 attacks", "Rest the joint.", "Ottoline Marsh-Adeyemi", "23 Nov 2026, 10:20 -0500"} {
		require.Contains(t, page, wide(words))
	}
	require.NotContains(t, page, wide("Not signed"))
	require.NotContains(t, page, wide(" · 23 Nov"), "no empty subtitle before the time")
	d.Unsigned = false
	raw, err = Render(d)
	require.NoError(t, err)
	require.Contains(t, pages(t, raw)[0], wide("Not signed"))
	long := "To " + strings.Repeat("the department of rheumatology, ", 12)
	d.Entries[0] = Entry{Folio: 4, SignedBy: "Maren Oduya", SignedAt: "2026-11-23T11:02:33-05:00", Hash: strings.Repeat("a", 64),
		Sections: []Section{{long, "Dear colleague,"}}}
	raw, err = Render(d)
	require.NoError(t, err)
	page = pages(t, raw)[0]
	require.Equal(t, 12, strings.Count(strings.ReplaceAll(page, "\x00", ""), "rheumatology"), "a long address is broken over lines, not cut")
}

// TestLongNamesAndReasonsWrap: every letter of a name and of a mark prints on every page, with the day of the visit and
// the language of the document.
func TestLongNamesAndReasonsWrap(t *testing.T) {
	name := "Maria Wilhelmina Anastasia Featherstonehaugh-Cholmondeley of the Outer Islands"
	mark := "Retracted: " + strings.Repeat("belongs to another patient and was written here by mistake ", 4) + "at last"
	raw, err := Render(Document{Practice: "Skerrow Island Family Practice and Walk-In Clinic at the Old Harbour", Title: "Acute visit", Patient: name,
		Identity: "born 1968-03-14, record SK-20418", Visit: "2026-11-23T10:20:00-05:00", Mark: mark,
		Entries: []Entry{{Folio: 1, SignedBy: "Maren Oduya", SignedAt: "2026-11-23T11:02:33-05:00",
			Sections: []Section{{"Plan", strings.Repeat("Rest. ", 1500)}}}}})
	require.NoError(t, err)
	ps := pages(t, raw)
	require.Greater(t, len(ps), 1)
	for _, p := range ps {
		for _, word := range append(strings.Fields(name), "at last", "Harbour", "23 Nov 2026") {
			require.Contains(t, p, wide(word))
		}
	}
	require.Contains(t, string(raw), "/Lang (en-US)")
	require.Equal(t, "é", printable("e\u0301", inSerif()), "a letter and its accent are one letter")
}
