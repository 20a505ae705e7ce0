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
		out += strings.Join([]string{i.List, i.Title, code, i.Status, i.Span(), i.Detail, none, i.Doubt, i.Class, i.Reason, i.Note}, " | ") + "\n"
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

// A blood pressure of one moment is one entry, as a chart keeps it; of two readings in one organizer nobody can say which go together.
func TestABloodPressureIsOneEntry(t *testing.T) {
	part := func(code, name, value, unit, at string) string {
		return fmt.Sprintf(`<component><observation classCode="OBS" moodCode="EVN"><templateId root="2.16.840.1.113883.10.20.22.4.27"/><id root="o" extension="%s %s"/><code code="%s" codeSystem="2.16.840.1.113883.6.1" displayName="%s"/><statusCode code="completed"/><effectiveTime value="%s"/><value xsi:type="PQ" value="%s" unit="%s"/></observation></component>`,
			code, at, code, name, at, value, unit)
	}
	read := func(parts ...string) (out []string) {
		r, err := ccda.Read([]byte(`<ClinicalDocument xmlns="urn:hl7-org:v3" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance"><component><structuredBody><component><section><code code="8716-3"/><title>Vital signs</title><text/><entry><organizer classCode="CLUSTER" moodCode="EVN"><templateId root="2.16.840.1.113883.10.20.22.4.26"/>` +
			strings.Join(parts, "") + `</organizer></entry></section></component></structuredBody></component></ClinicalDocument>`))
		require.NoError(t, err)
		for _, i := range r.Items {
			out = append(out, i.CodeIn(outside.LOINC)+" "+i.Detail)
		}
		return out
	}
	up, down := part("8480-6", "Systolic", "148", "mm[Hg]", "202605011000-0400"), part("8462-4", "Diastolic", "86", "mm[Hg]", "202605011000-0400")
	pulse := part("8867-4", "Heart rate", "84", "/min", "202605011000-0400")
	require.Equal(t, []string{"85354-9 148/86 mm[Hg]", "8867-4 84 /min"}, read(up, down, pulse))
	require.Equal(t, []string{"8867-4 84 /min", "85354-9 148/86 mm[Hg]"}, read(down, pulse, up)[:2])
	require.Equal(t, []string{"8480-6 148 mm[Hg]", "8867-4 84 /min"}, read(up, pulse), "half a reading is none")
	later := part("8462-4", "Diastolic", "80", "mm[Hg]", "202605011100-0400")
	require.Len(t, read(up, later), 2, "of two moments")
	require.Len(t, read(up, down, part("8480-6", "Systolic", "140", "mm[Hg]", "202605011000-0400"), later), 4, "of two readings")
	require.Len(t, read(up, part("8462-4", "Diastolic", "11.5", "kPa", "202605011000-0400")), 2, "of two units")
}
