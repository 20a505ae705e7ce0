package pdf

import (
	"bytes"
	"compress/zlib"
	"image"
	"image/color"
	paint "image/draw"
	"io"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/oned"
	"github.com/stretchr/testify/require"
)

var (
	streams = regexp.MustCompile(`(?s)stream\r?\n(.*?)\r?\nendstream`)
	filled  = regexp.MustCompile(`([0-9.]+) ([0-9.]+) ([0-9.]+) (-?[0-9.]+) re f`)
)

// codesOn reads the bar codes of a PDF as a reader would: the filled rectangles of each page
// are painted, and each band of them is read by a library that knows nothing of ours.
func codesOn(t *testing.T, pdf []byte) (out []string) {
	t.Helper()
	for _, m := range streams.FindAllSubmatch(pdf, -1) {
		z, err := zlib.NewReader(bytes.NewReader(m[1]))
		if err != nil {
			continue
		}
		text, _ := io.ReadAll(z)
		type bar struct{ x, w float64 }
		bands := map[string][]bar{}
		var order []string
		for _, r := range filled.FindAllSubmatch(text, -1) {
			x, _ := strconv.ParseFloat(string(r[1]), 64)
			w, _ := strconv.ParseFloat(string(r[3]), 64)
			y := string(r[2])
			if bands[y] == nil {
				order = append(order, y)
			}
			bands[y] = append(bands[y], bar{x, w})
		}
		for _, y := range order {
			const scale = 12 // dots for each point
			var left, right float64
			for i, b := range bands[y] {
				if i == 0 || b.x < left {
					left = b.x
				}
				right = max(right, b.x+b.w)
			}
			img := image.NewGray(image.Rect(0, 0, int((right-left+40)*scale), 60))
			paint.Draw(img, img.Bounds(), image.White, image.Point{}, paint.Src)
			for _, b := range bands[y] {
				from, to := int((b.x-left+20)*scale), int((b.x+b.w-left+20)*scale)
				for px := from; px < to; px++ {
					for py := 5; py < 55; py++ {
						img.SetGray(px, py, color.Gray{})
					}
				}
			}
			bmp, err := gozxing.NewBinaryBitmapFromImage(img)
			require.NoError(t, err)
			got, err := oned.NewCode128Reader().Decode(bmp, nil)
			require.NoError(t, err, "a reader reads the bar code")
			out = append(out, got.GetText())
		}
	}
	return out
}

func TestTheBarCodesOfARequisitionAreRead(t *testing.T) {
	r := Requisition{Practice: "Skerrow Island Family Practice", Laboratory: "Northsound Hospital Laboratory", Fax: "555-0172", Title: "Laboratory requisition",
		Placer: "SK10042", Fields: []Field{{"Patient", "Ottoline Marsh-Adeyemi"}, {"Empty", ""}}, Below: []Field{{"Who pays", "the patient"}}, Signed: "Signed"}
	want := []string{"SK10042"}
	for _, code := range []string{"B01", "H02", "CBC-D", "24H", "T01", "M02", "P01", "F02", "S01", "V03", "G01", "U01", "B34", "H09", "T02", "M09"} {
		r.Tests = append(r.Tests, RequisitionTest{Code: code, Name: "Test " + code, Lines: []string{"Specimen: serum", "For I10 Essential (primary) hypertension"}})
		want = append(want, code)
	}
	out, err := r.Render()
	require.NoError(t, err)
	require.Equal(t, want, codesOn(t, out), "over all pages")
	require.True(t, bytes.Contains(out, []byte("/Count 2")), "two pages")
}

func TestLabelsAreReadAndKeepTheirNames(t *testing.T) {
	long := "Featherstonehaugh-Wolverhampton-Abernathy, Maximiliana Wilhelmina"
	out, err := Labels([]Label{{Patient: "Marsh-Adeyemi, Ottoline", Identity: "born 1968-03-14 · SK-20418", Container: "gold-top tube (gel)", Tests: "BMP URIC", Code: "SK10042-1"},
		{Patient: long, Identity: "born 1950-01-01 · SK-1", Container: "lavender-top tube", Tests: strings.Repeat("CBC ", 30), Drawn: "Drawn 2026-11-26 08:10", Code: "SK10042-2"}})
	require.NoError(t, err)
	require.Equal(t, []string{"SK10042-1", "SK10042-2"}, codesOn(t, out))
	_, err = Labels(nil)
	require.Error(t, err)
	_, err = Labels([]Label{{Code: "café ☕"}})
	require.Error(t, err, "what cannot be a bar code is said, not left out")
}
