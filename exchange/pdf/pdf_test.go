package pdf

import (
	"bytes"
	"compress/zlib"
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
	d := Document{Practice: "SKERROW", Title: "Acute visit", Subtitle: "Toe pain", Patient: "Ottoline Marsh-Adeyemi", Identity: "born 1968-03-14, record SK-20418", Visit: "2026-11-23T10:20:00-05:00",
		Entries: []Entry{
			{Folio: 41, SignedBy: "Maren Oduya", SignedAt: "2026-11-23T11:02:33-05:00", Hash: strings.Repeat("a", 64), Sections: []Section{{"Subjective", long}, {"Plan", "Rest."}}},
			{Folio: 44, SignedBy: "Tobias Lindqvist-Rao", SignedAt: "2026-11-24T09:00:00-05:00", Hash: strings.Repeat("b", 64), Sections: []Section{{"Amendment", "The left, not the right."}}},
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
	}
}

func TestNothingDisappearsOnPaper(t *testing.T) {
	require.Equal(t, "SpO2 >= 92 %, T 38.1 °C, 5 µg, Łukasz Škoda, 3 × 2, ½, -> [U+4E2D]", printable("SpO2 ≥ 92 %, T 38.1 °C, 5 µg, Łukasz Škoda, 3 × 2, ½, → 中", inSerif()))
	require.Equal(t, "5 mcg", printable("5 µg", inSans()), "the safe way to write it where the letter is missing")
	raw, err := Render(Document{Patient: "Łukasz Škoda", Entries: []Entry{{Folio: 1, Sections: []Section{{"Plan", "Keep ≥ 92 %."}}}}})
	require.NoError(t, err)
	require.Contains(t, pages(t, raw)[0], wide("Keep >= 92 %."))
	require.Contains(t, pages(t, raw)[0], wide("Łukasz Škoda"))
}
