package ccda_test

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/outside"
	"deftledger/exchange/ccda"
)

// say writes a record as the answers of testdata are written, which a person wrote from the documents before there was a reader.
func say(r outside.Record) string {
	id := r.ID
	if r.Set != "" {
		id = r.Set + " version " + r.Version
	}
	who := r.House
	if r.Author != "" {
		who = r.Author + ", " + who
	}
	out := fmt.Sprintf("document | %s | %s | %s | %s | %s %s, %s, %s\n", r.Title, r.At, id, who, r.Patient.Given, r.Patient.Family, r.Patient.BirthDate, r.Patient.Sex)
	for _, i := range r.Items {
		code, none := "", ""
		if len(i.Codes) > 0 {
			code = i.Codes[0].Code
		}
		if i.None {
			none = "none"
		}
		out += strings.Join([]string{i.List, i.Title, code, i.Status, i.Span(), i.Detail, none, i.Doubt}, " | ") + "\n"
	}
	for _, f := range r.Files {
		out += fmt.Sprintf("file | %s, %d bytes\n", f.Type, len(f.Body))
	}
	return out
}

func tidy(s string) string {
	var out []string
	for line := range strings.Lines(s) {
		if line = strings.TrimSpace(line); line != "" {
			out = append(out, strings.TrimRight(strings.Join(strings.Fields(line), " "), " |"))
		}
	}
	return strings.Join(out, "\n")
}

func TestRecordsOfStrangersAreReadAsAPersonReadsThem(t *testing.T) {
	wants, err := filepath.Glob("testdata/*.want")
	require.NoError(t, err)
	require.NotEmpty(t, wants)
	for _, w := range wants {
		t.Run(filepath.Base(w), func(t *testing.T) {
			raw, err := os.ReadFile(strings.TrimSuffix(w, ".want") + ".xml")
			require.NoError(t, err)
			want, err := os.ReadFile(w)
			require.NoError(t, err)
			got, err := ccda.Read(raw)
			require.NoError(t, err)
			require.Equal(t, tidy(string(want)), tidy(say(got)))
		})
	}
}

// What cannot be read is refused with the reason, and nothing hostile is done.
func TestHostileAndBrokenDocumentsAreRefused(t *testing.T) {
	for file, why := range map[string]string{"hostile-entities.xml": "type definition", "hostile-external.xml": "type definition", "half.xml": "", "not-a-record.xml": "begins with \"html\""} {
		raw, err := os.ReadFile("testdata/" + file)
		require.NoError(t, err)
		_, err = ccda.Read(raw)
		require.ErrorIs(t, err, ccda.ErrUnreadable, file)
		require.ErrorContains(t, err, why, file)
	}
	deep := strings.Repeat("<a>", 5000) + strings.Repeat("</a>", 5000)
	_, err := ccda.Read([]byte(deep))
	require.ErrorContains(t, err, "too deep")
	for _, bytes := range [][]byte{nil, {0}, []byte("<?xml version=\"1.0\" encoding=\"KLINGON\"?><ClinicalDocument/>"), []byte("<ClinicalDocument>\xff\xfe</ClinicalDocument>")} {
		_, err := ccda.Read(bytes)
		require.Error(t, err)
	}
}

// The narrative is laid out as its author laid it out, and nothing in it acts.
func TestTheNarrativeIsHarmless(t *testing.T) {
	doc := `<ClinicalDocument xmlns="urn:hl7-org:v3"><component><structuredBody><component><section><title>x</title><text>
		<script>alert(1)</script><table onclick="x()"><tr><td colspan="2" style="background:url(x)"><content ID="a&quot; onload=&quot;x" styleCode="Bold">A &lt;b&gt;</content></td></tr></table>
		<linkHtml href="javascript:alert(2)">link</linkHtml><list listType="ordered"><item>one</item></list><renderMultiMedia referencedObject="m"/></text></section></component></structuredBody></component></ClinicalDocument>`
	r, err := ccda.Read([]byte(doc))
	require.NoError(t, err)
	html := r.Sections[0].HTML
	for _, bad := range []string{"<script", "onclick", "style=", "javascript", "<a ", "<b>", `onload="`} {
		require.NotContains(t, html, bad)
	}
	require.Contains(t, html, `<td colspan="2"><span data-said="a&#34; onload=&#34;x" class="font-semibold">A &lt;b&gt;</span></td>`)
	require.Contains(t, html, "<ol><li>one</li></ol>")
}

// Whatever comes, the reader ends, with a record or a reason.
func FuzzRead(f *testing.F) {
	files, _ := filepath.Glob("testdata/*.xml")
	for _, x := range files {
		raw, err := os.ReadFile(x)
		require.NoError(f, err)
		f.Add(raw)
	}
	f.Fuzz(func(t *testing.T, raw []byte) {
		r, err := ccda.Read(raw)
		if err != nil {
			if !errors.Is(err, ccda.ErrUnreadable) {
				t.Fatal(err)
			}
			return
		}
		for _, i := range r.Items {
			if i.List == "" || i.Ref == "" || i.Title == "" && !i.None {
				t.Fatalf("an item without a name: %+v", i)
			}
		}
		for _, s := range r.Sections {
			if strings.Contains(strings.ToLower(s.HTML), "<script") {
				t.Fatal(s.HTML)
			}
		}
	})
}
