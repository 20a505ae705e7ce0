package hl7v2

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
	"deftledger/core/order"
	"deftledger/core/outside"
	"deftledger/core/result"
)

var zone = time.FixedZone("", -5*3600)

// sample is written by hand from HL7 v2.5.1, chapter 7 (ORU^R01), with what
// laboratories really do: repeated abnormal flags, a structured numeric, escapes,
// two notes, a coded value, a second order group.
const sample = "MSH|^~\\&|LIS|BRINEHOUSE|DEFTLEDGER|SKERROW|20261123081500-0500||ORU^R01^ORU_R01|M77|P|2.5.1||||||UNICODE UTF-8\r" +
	"PID|1||SK-20418^^^SKERROW^MR||Marsh-Adeyemi^Ottoline^E||19680314|F|||||555-0118\r" +
	"ORC|RE|SK10001-1|BR1\r" +
	"OBR|1|SK10001-1|BR1|BMP^Basic metabolic panel^L^24321-2^^LN|||202611230750-0500|||||||||||||||20261123081000-0500|||F\r" +
	"NTE|1|L|Sample slightly\\.br\\lipemic\\F\\see below\r" +
	"OBX|1|NM|K^Potassium^L^2823-3^^LN||6.40|mmol/L|3.5-5.1|HH~A|||F|||202611230750-0500|||||||||Brinehouse Laboratory^^^^^^^^^CL1\r" +
	"NTE|1|L|Repeated\r" +
	"NTE|2|L|and confirmed\r" +
	"OBX|2|SN|EGFR^eGFR^L^98979-8^^LN||>^90|mL/min/{1.73_m2}|>= 60||||F\r" +
	"OBX|3|CWE|2345-7^Glucose^LN^GLU^Glucose local^L||260385009^Negative \\T\\ clear^SCT||||||F\r" +
	"ORC|RE|SK10001-2|BR2\r" +
	"OBR|2|||CBC^Blood count^L|||20261123||||||||||||||||||P\r" +
	"OBX|1|TX|C^Comment^L||first line~second line||||||P\r"

func TestParseReports(t *testing.T) {
	rs, err := ParseReports([]byte(sample), zone)
	require.NoError(t, err)
	require.Len(t, rs.Patients, 1)
	require.Len(t, rs.Patients[0].Reports, 2)
	a, b := rs.Patients[0].Reports[0], rs.Patients[0].Reports[1]
	require.Equal(t, outside.Identity{Family: "Marsh-Adeyemi", Given: "Ottoline", BirthDate: "1968-03-14", Sex: "F",
		Phone: "555-0118", Records: []outside.RecordNumber{{Number: "SK-20418", Assigner: "SKERROW", Kind: "MR"}}}, rs.Patients[0].Patient)
	require.Equal(t, "SK10001-1", a.Placer)
	require.Equal(t, "BR1", a.Filler)
	require.Equal(t, "24321-2", a.LOINC)
	require.Equal(t, "F", a.Status)
	require.Equal(t, "Sample slightly\nlipemic|see below", a.Notes)
	require.Equal(t, "Brinehouse Laboratory", a.Performer)
	require.Equal(t, 12, a.Collected.Digits, "the precision stays what it was")
	require.True(t, a.Collected.At.Equal(time.Date(2026, 11, 23, 12, 50, 0, 0, time.UTC)))
	require.Equal(t, result.Value{Code: "K", Name: "Potassium", LOINC: "2823-3", Text: "6.40", Unit: "mmol/L", Range: "3.5-5.1", Flag: "HH~A",
		Status: "F", Notes: "Repeated\nand confirmed", Details: result.Details{ObservedAt: "2026-11-23T07:50-05:00", Performer: "Brinehouse Laboratory"}}, a.Values[0], "6.40 keeps its zero")
	require.Equal(t, ">90", a.Values[1].Text)
	require.Equal(t, "Negative & clear", a.Values[2].Text)
	require.Equal(t, "GLU", a.Values[2].Code, "the local code, though it stands second")
	require.Equal(t, "2345-7", a.Values[2].LOINC)
	require.Equal(t, "SK10001-2", b.Placer, "OBR without a number takes that of its ORC")
	require.Equal(t, "P", b.Status)
	require.Equal(t, 8, b.Collected.Digits)
	require.Equal(t, "first line\nsecond line", b.Values[0].Text)
}

func TestOtherDelimitersLineEndsAndCharacterSets(t *testing.T) {
	text := strings.NewReplacer("|", "#", "^", "@", "~", "*", "\\", "%", "&", "$").Replace(sample)
	rs, err := ParseReports([]byte(text), zone)
	require.NoError(t, err)
	require.Equal(t, "Sample slightly\nlipemic#see below", rs.Patients[0].Reports[0].Notes)
	rs, err = ParseReports([]byte(strings.ReplaceAll(sample, "\r", "\r\n")), zone)
	require.NoError(t, err)
	require.Len(t, rs.Patients[0].Reports, 2)
	latin := strings.Replace(strings.Replace(sample, "UNICODE UTF-8", "8859/1", 1), "Ottoline", "Ott\xf6line", 1)
	rs, err = ParseReports([]byte(latin), zone)
	require.NoError(t, err)
	require.Equal(t, "Ottöline", rs.Patients[0].Patient.Given)
}

func TestWhatCannotBeReadSaysWhy(t *testing.T) {
	change := func(from, to string) string { return strings.Replace(sample, from, to, 1) }
	cut := func(name string) string {
		var out []string
		for _, l := range strings.Split(sample, "\r") {
			if !strings.HasPrefix(l, name) {
				out = append(out, l)
			}
		}
		return strings.Join(out, "\r")
	}
	cases := []struct {
		name, text, says string
		not              bool // it is no HL7 at all
	}{
		{"empty", "", "does not begin with an MSH", true},
		{"a web request", "GET / HTTP/1.1\r\n\r\n", "does not begin with an MSH", true},
		{"MSH cut short", "MSH\r0000", "names no delimiters", true},
		{"MSH alone", "MSH", "does not begin with an MSH", true},
		{"no control identifier", change("|M77|", "||"), "no control identifier", true},
		{"one delimiter used twice", change("^~\\&", "^^\\&"), "is used twice", true},
		{"a letter as delimiter", change("MSH|^~\\&", "MSH|A~\\&"), "cannot be a delimiter", true},
		{"another type", change("ORU^R01^ORU_R01", "ADT^A01"), "only ORU^R01 carries results", false},
		{"no result", sample[:strings.Index(sample, "ORC")], "holds no result", false},
		{"values without a test", cut("OBR"), "before any OBR", false},
		{"bad bytes", change("Ottoline", "Ott\xffline"), "not valid UNICODE UTF-8", false},
		{"an unknown character set", change("UNICODE UTF-8", "GB 18030"), "is not one we read", false},
		{"a line that is no segment", sample + "rubbish\r", "does not begin with a segment name", false},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			_, err := ParseReports([]byte(c.text), zone)
			require.ErrorContains(t, err, c.says)
			if c.not {
				require.ErrorIs(t, err, ErrNotHL7)
			} else {
				require.ErrorIs(t, err, ErrUnreadable)
				_, err := ParseHeader([]byte(c.text))
				require.NoError(t, err, "its header can still be read, to acknowledge it")
			}
		})
	}
}

// The golden message was read by hand against HL7 v2.5.1, chapter 4.4.6.
func TestOrderMessage(t *testing.T) {
	at := time.Date(2026, 11, 23, 8, 0, 0, 0, zone)
	o := Order{Control: "SK10001", Sender: "SKERROW", Receiver: "BRINEHOUSE", Placer: "SK10001", Priority: "A", ClinicianID: "c1",
		ClinicianName: chart.Name{Family: "Oduya", Given: "Maren"}, SignedAt: at, CollectedAt: at,
		Patient: chart.Patient{Record: "SK-1", Name: chart.Name{Family: "Pipe|Hat^&", Given: "Ann"}, BirthDate: "1968-03-14", Sex: "F",
			Phone: "555"},
		Tests: []OrderTest{{Code: "K", Name: "Potassium", LOINC: "2823-3", Diagnoses: []Diagnosis{{"E87.6", "Hypokalemia"}, {"I10", "Essential (primary) hypertension"}}},
			{Code: "UCUL", Name: "Urine culture", LOINC: "630-4", Diagnoses: []Diagnosis{{"N39.0", "Urinary tract infection"}}}}}
	want := "MSH|^~\\&|DEFTLEDGER|SKERROW||BRINEHOUSE|20261123080000-0500||OML^O21^OML_O21|SK10001|P|2.5.1|||AL|AL||UNICODE UTF-8|||LOI_Common_Component^^2.16.840.1.113883.9.66^ISO\r" +
		"PID|1||SK-1^^^SKERROW^MR||Pipe\\F\\Hat\\S\\\\T\\^Ann^^^^^L||19680314|F|||||^PRN^PH^^^^^^^^^555\r" +
		"PV1|1|O\r" +
		"ORC|NW|SK10001-1^SKERROW||SK10001^SKERROW|||||20261123080000-0500|||c1^Oduya^Maren^^^^^^SKERROW^L^^^EI\r" +
		"TQ1|1||||||||A\r" +
		"OBR|1|SK10001-1^SKERROW||K^Potassium^L^2823-3^^LN|||20261123080000-0500|||||||||c1^Oduya^Maren^^^^^^SKERROW^L^^^EI\r" +
		"DG1|1||E87.6^Hypokalemia^I10C|||W\r" +
		"DG1|2||I10^Essential (primary) hypertension^I10C|||W\r" +
		"ORC|NW|SK10001-2^SKERROW||SK10001^SKERROW|||||20261123080000-0500|||c1^Oduya^Maren^^^^^^SKERROW^L^^^EI\r" +
		"TQ1|1||||||||A\r" +
		"OBR|2|SK10001-2^SKERROW||UCUL^Urine culture^L^630-4^^LN|||20261123080000-0500|||||||||c1^Oduya^Maren^^^^^^SKERROW^L^^^EI\r" +
		"DG1|1||N39.0^Urinary tract infection^I10C|||W\r"
	require.Equal(t, strings.ReplaceAll(want, "\r", "\n"), strings.ReplaceAll(string(o.Build()), "\r", "\n"))
	m, err := Parse(o.Build())
	require.NoError(t, err)
	pid, _ := m.First("PID")
	require.Equal(t, "Pipe|Hat^&", pid.Get(5, 1), "what was escaped comes back")
}

// An order with all that can be said, each field where HL7 v2.5.1 has it (chapters 3, 4, 6, 7;
// the numbers were looked up there, not in the code).
func TestAnOrderWithAllThatIsSaid(t *testing.T) {
	at := time.Date(2026, 11, 23, 8, 0, 0, 0, zone)
	o := Order{Control: "SK7", Sender: "SKERROW", Receiver: "BRINEHOUSE", Placer: "SK7", Priority: "R", NPI: "1234567893", Day: "2026-11-23", Due: "2026-12-07",
		ClinicianName: chart.Name{Family: "Oduya", Given: "Maren"}, SignedAt: at, CollectedAt: at, CollectedBy: chart.Name{Family: "Vance", Given: "Petra"},
		Patient: chart.Patient{Record: "SK-9", Name: chart.Name{Family: "Drummond-Iyer", Given: "Zoë", Middle: "Q"}, BirthDate: "2018-05-03", Sex: "F"},
		Registration: chart.Registration{Suffix: "II", Race: []string{"White", "Cornish | Breton"}, Ethnicity: "not Hispanic or Latino", Language: "English",
			Address:    chart.Address{Street: "2 Reef Lane", City: "Skerrow", State: "ME", Zip: "04001"},
			Telephones: []chart.Telephone{{Number: "555-0101", Use: "mobile"}, {Number: "555-0102", Use: "work"}},
			Contacts:   []chart.Contact{{ID: "m", Name: "Ann Iyer", Phone: "555-0103", Guardian: true, Relation: "mother"}}, Guarantor: "m",
			Coverages: []chart.Coverage{{Rank: "primary", Kind: "commercial", Payer: "Skerrow Mutual", Plan: "Family", Number: "P-1", Group: "G-2", Holder: "m", From: "2026-01-01"}}},
		Payer: order.Payer{Who: order.InsurerPays}, Copies: []order.Copy{{Patient: true}, {Name: "Dr. Tak"}},
		Tests: []OrderTest{{Code: "PBB", Name: "Lead in blood", LOINC: "5671-3", Diagnoses: []Diagnosis{{"Z77.011", "Contact with lead"}}, Remark: "line one\nline \x0b two",
			Answers:   []OrderAnswered{{"LEADHOW", "Blood taken from", "ST", "vein", ""}, {"W", "Weight", "NM", "24.5", "kg"}},
			Specimens: []OrderSpecimen{{"whole blood", "TAN", "tan-top tube", "2", "room"}}}}}
	raw := o.Build()
	require.NotContains(t, string(raw), "\x0b", "nothing in it ends the frame")
	require.NotContains(t, string(raw), "\n")
	m, err := Parse(raw)
	require.NoError(t, err)
	var names []string
	for _, s := range m.Segments {
		names = append(names, s.Name)
	}
	require.Equal(t, "MSH PID NK1 PV1 IN1 IN2 GT1 ORC TQ1 OBR NTE DG1 OBX OBX SPM", strings.Join(names, " "))
	for _, c := range []struct {
		segment     string
		field, part int
		want        string
	}{
		{"MSH", 15, 1, "AL"}, {"MSH", 16, 1, "AL"}, {"MSH", 21, 1, "LOI_Common_Component"}, {"MSH", 21, 4, "ISO"},
		{"PID", 3, 4, "SKERROW"}, {"PID", 5, 1, "Drummond-Iyer"}, {"PID", 5, 3, "Q"}, {"PID", 5, 4, "II"}, {"PID", 5, 7, "L"}, {"PID", 10, 1, "2106-3"},
		{"PID", 11, 1, "2 Reef Lane"}, {"PID", 11, 3, "Skerrow"}, {"PID", 11, 4, "ME"}, {"PID", 11, 5, "04001"}, {"PID", 13, 3, "CP"}, {"PID", 13, 12, "555-0101"},
		{"PID", 15, 2, "English"}, {"PID", 22, 1, "N"},
		{"NK1", 2, 2, "Ann Iyer"}, {"NK1", 3, 1, "GRD"}, {"NK1", 5, 12, "555-0103"}, {"PV1", 2, 1, "O"},
		{"IN1", 2, 2, "Family"}, {"IN1", 4, 1, "Skerrow Mutual"}, {"IN1", 8, 1, "G-2"}, {"IN1", 12, 1, "20260101"}, {"IN1", 15, 1, "commercial"}, {"IN1", 16, 2, "Ann Iyer"},
		{"IN1", 17, 1, "OTH"}, {"IN1", 22, 1, "1"}, {"IN1", 36, 1, "P-1"},
		{"GT1", 3, 2, "Ann Iyer"}, {"GT1", 6, 12, "555-0103"}, {"GT1", 11, 2, "mother"},
		{"ORC", 1, 1, "NW"}, {"ORC", 2, 1, "SK7-1"}, {"ORC", 2, 2, "SKERROW"}, {"ORC", 4, 1, "SK7"}, {"ORC", 12, 1, "1234567893"}, {"ORC", 12, 13, "NPI"},
		{"TQ1", 7, 1, "20261207"}, {"TQ1", 9, 1, "R"},
		{"OBR", 4, 1, "PBB"}, {"OBR", 4, 4, "5671-3"}, {"OBR", 10, 2, "Vance"}, {"OBR", 16, 2, "Oduya"}, {"OBR", 28, 1, "SK-9"},
		{"NTE", 2, 1, "P"}, {"DG1", 3, 1, "Z77.011"}, {"OBX", 2, 1, "ST"}, {"OBX", 5, 1, "vein"}, {"OBX", 11, 1, "O"},
		{"SPM", 4, 1, "BLD"}, {"SPM", 4, 3, "HL70487"}, {"SPM", 12, 1, "2"}, {"SPM", 12, 2, "mL"}, {"SPM", 14, 1, "room"}, {"SPM", 17, 1, "20261123080000-0500"}, {"SPM", 27, 1, "TAN"},
	} {
		s, ok := m.First(c.segment)
		require.True(t, ok, c.segment)
		require.Equal(t, c.want, s.Get(c.field, c.part), "%s-%d.%d", c.segment, c.field, c.part)
	}
	pid, _ := m.First("PID")
	require.Len(t, pid.Repeats(10), 2)
	require.Contains(t, string(raw), `~^Cornish \F\ Breton`)
	obr, _ := m.First("OBR")
	require.Len(t, obr.Repeats(28), 2)
	nte, _ := m.First("NTE")
	require.Equal(t, "line one\nline \x0b two", nte.Get(3, 1), "what was escaped comes back")
	o.Cancel = true
	m, err = Parse(o.Build())
	require.NoError(t, err)
	orc, _ := m.First("ORC")
	require.Equal(t, "CA", orc.Get(1, 1))
	require.Equal(t, "SK7-1", orc.Get(2, 1))
}

func TestAcknowledgements(t *testing.T) {
	h, err := ParseHeader([]byte(sample))
	require.NoError(t, err)
	a, err := ParseAck(Ack(h, "AR", "Not | this", "X1", time.Now()))
	require.NoError(t, err)
	require.Equal(t, Acknowledgement{Code: "AR", Control: "M77", Text: "Not | this"}, a)
	a, err = ParseAck([]byte("MSH|^~\\&|LIS|B|||2026||ORL^O22|9|P|2.5.1\rMSA|AE|SK10001|old style\rERR||OBR^1^4|103^Table value not found^HL70357|E||||Test X is not in our list\r"))
	require.NoError(t, err)
	require.Equal(t, Acknowledgement{Code: "AE", Control: "SK10001", Text: "Test X is not in our list"}, a)
	_, err = ParseAck([]byte("MSH|^~\\&|LIS|B|||2026||ORL^O22|9|P|2.5.1\r"))
	require.ErrorIs(t, err, ErrUnreadable)
}

// What answers of laboratories say, worked out by hand from HL7 v2.5.1 (2.9, 4.4.7 and tables
// 0008, 0119).
func TestWhatAnAnswerDecides(t *testing.T) {
	head := "MSH|^~\\&|LIS|B|||2026||ORL^O22|9|P|2.5.1\r"
	for _, c := range []struct {
		name, text string
		ok         bool
		wrong      string
		refused    int
	}{
		{"taken", head + "MSA|AA|SK1\r", true, "", 0},
		{"taken, in small letters", head + "MSA|aa|SK1\r", true, "", 0},
		{"taken for the time being", head + "MSA|CA|SK1\r", true, "", 0},
		{"refused", head + "MSA|AE|SK1\r", false, "", 0},
		{"refused at the door", head + "MSA|CR|SK1\r", false, "", 0},
		{"of another message", head + "MSA|AA|SK2\r", false, "another message", 0},
		{"without a number", head + "MSA|AA\r", false, "another message", 0},
		{"a code that ends like one", head + "MSA|BANANA|SK1\r", false, "no answer", 0},
		{"no code", head + "MSA||SK1\r", false, "no answer", 0},
		{"order by order", head + "MSA|AA|SK1\rORC|OK|SK1-1|X\rORC|UA|SK1-2|X\rORC|ua|SK1-3\r", true, "", 2},
		{"words that are no UTF-8", head + "MSA|AR|SK1|Pr\xfcfung fehlt\r", false, "", 0},
		{"a character set we do not read", strings.Replace(head, "|2.5.1", "|2.5.1||||||GB 18030", 1) + "MSA|AR|SK1|\xb0\xa1\r", false, "", 0},
	} {
		a, err := ParseAck([]byte(c.text))
		require.NoError(t, err, c.name)
		ok, err := a.Accepted("SK1")
		require.Equal(t, c.ok, ok, c.name)
		if c.wrong == "" {
			require.NoError(t, err, c.name)
		} else {
			require.ErrorContains(t, err, c.wrong, c.name)
		}
		refused := 0
		for _, o := range a.Orders {
			if o.Refused() {
				refused++
			}
		}
		require.Equal(t, c.refused, refused, c.name)
	}
	a, _ := ParseAck([]byte(head + "MSA|AR|SK1|Pr\xfcfung fehlt\r"))
	require.Equal(t, "Prüfung fehlt", a.Text)
}

// Whatever the bytes: no panic, and an answer that is either reports or a reason.
func FuzzParseReports(f *testing.F) {
	f.Add([]byte(sample))
	f.Add([]byte(sample[:len(sample)/2]))
	f.Add([]byte(strings.ReplaceAll(sample, "|", "^")))
	f.Add([]byte("MSH|^~\\&|||||||ORU^R01|1\rPID\rOBR\rOBX\rNTE\r"))
	f.Add([]byte("MSH|^~\\&|||||||ORU^R01|1\rPID|||||\\X\\^\\Xzz\\^\\X4\\\rOBR||||\\E|\rOBX||SN|a||\\\\^\r"))
	f.Add([]byte("MSH\x00\xff\xfe"))
	f.Add([]byte("\xef\xbb\xbf" + sample))
	f.Fuzz(func(t *testing.T, raw []byte) {
		rs, err := ParseReports(raw, zone)
		if (err == nil) == (len(rs.Patients) == 0) {
			t.Fatalf("%d patients with error %v", len(rs.Patients), err)
		}
		for _, p := range rs.Patients {
			if len(p.Reports) == 0 {
				t.Fatal("a patient without a report")
			}
		}
		_, _ = ParseAck(raw)
	})
}
