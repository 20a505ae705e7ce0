package hl7v2_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
	"deftledger/exchange/hl7v2"
)

func vaccination() hl7v2.Vaccination {
	zone := time.FixedZone("", -4*3600)
	return hl7v2.Vaccination{Control: "c-1", At: time.Date(2026, 5, 4, 10, 30, 5, 0, zone), Sender: "SKERROW", Receiver: "REGISTRY", Day: "2026-05-04",
		Patient:      chart.Patient{Record: "SK-9", Name: chart.Name{Family: "Drummond-Iyer", Given: "Arlo"}, BirthDate: "2018-05-03", Sex: "M"},
		Registration: chart.Registration{Address: chart.Address{Street: "3 Ferry Steps", City: "Skerrow", State: "ME", Zip: "04699"}, Contacts: []chart.Contact{{Name: "Nadia Iyer", Phone: "555-0171", Guardian: true}}},
		ID:           "im-7", Name: "Measles, mumps & rubella", Given: chart.Given{CVX: "03", Maker: "Gannet ^ Sons", Lot: "GX-1", Expires: "2027-06-30", Dose: "0.5 mL", Route: "subcutaneous", Site: "left upper arm", Sheet: "2025-01-31"},
		GivenAt: time.Date(2026, 5, 4, 10, 15, 0, 0, zone), GivenBy: chart.Name{Family: "Whitlock", Given: "Jonah"}, ByID: "s-2"}
}

// The message as a person read it against the guide: what is typed cannot break a segment, times carry their zone, and what nobody
// keeps (a code of the manufacturer, eligibility) is said to be not known.
func TestAVaccinationForTheRegistry(t *testing.T) {
	require.Equal(t, strings.Join([]string{
		`MSH|^~\&|DEFTLEDGER|SKERROW||REGISTRY|20260504103005-0400||VXU^V04^VXU_V04|c-1|P|2.5.1|||ER|AL||UNICODE UTF-8|||Z22^CDCPHINVS`,
		`PID|1||SK-9^^^SKERROW^MR||Drummond-Iyer^Arlo^^^^^L||20180503|M|||3 Ferry Steps^^Skerrow^ME^04699`,
		`NK1|1|^Nadia Iyer|GRD^Guardian^HL70063||^PRN^PH^^^^^^^^^555-0171`,
		`ORC|RE||im-7^SKERROW|||||||s-2^Whitlock^Jonah^^^^^^SKERROW^L^^^EI`,
		`RXA|0|1|20260504101500-0400|20260504101500-0400|03^Measles, mumps \T\ rubella^CVX|0.5|mL^milliliter^UCUM||00^New immunization record^NIP001|s-2^Whitlock^Jonah^^^^^^SKERROW^L^^^EI|^^^SKERROW||||GX-1|20270630|^Gannet \S\ Sons|||CP|A`,
		`RXR|SC^Subcutaneous^HL70162|LA^Left Arm^HL70163`,
		`OBX|1|CE|64994-7^Vaccine funding program eligibility category^LN|1|V00^VFC eligibility not determined/unknown^HL70064||||||F|||20260504|||VXC40^Eligibility captured at the immunization level^CDCPHINVS`,
		`OBX|2|CE|30956-7^Vaccine type^LN|2|03^Measles, mumps \T\ rubella^CVX||||||F`,
		`OBX|3|DT|29768-9^Date vaccine information statement published^LN|2|20250131||||||F`,
		`OBX|4|DT|29769-7^Date vaccine information statement presented^LN|2|20260504||||||F`,
		``}, "\r"), string(vaccination().Build()))

	m, err := hl7v2.Parse(vaccination().Build())
	require.NoError(t, err, "what we write we can read")
	rxa, _ := m.First("RXA")
	require.Equal(t, "Gannet ^ Sons", rxa.Get(17, 2))
}

func TestAVaccinationThatIsOtherwise(t *testing.T) {
	for name, x := range map[string]struct {
		change func(*hl7v2.Vaccination)
		has    []string
		not    []string
	}{
		"struck": {func(v *hl7v2.Vaccination) { v.Struck = true }, []string{"|CP|D\r"}, []string{"OBX|", "RXR|"}},
		"had elsewhere, the year only": {func(v *hl7v2.Vaccination) {
			v.On, v.GivenAt, v.GivenBy, v.Source = "2019", time.Time{}, chart.Name{}, "patient says"
		},
			[]string{"RXA|0|1|2019|2019|03^", "|999|||01^Historical information - source unspecified^NIP001|"}, []string{"OBX|", "mL^milliliter"}},
		"a dose that is no volume":               {func(v *hl7v2.Vaccination) { v.Given.Dose = "one drop" }, []string{"^CVX|999||"}, []string{"mL^milliliter"}},
		"of age, with a guardian of former days": {func(v *hl7v2.Vaccination) { v.Patient.BirthDate = "1990-01-01" }, nil, []string{"NK1|"}},
		"segments in what was typed":             {func(v *hl7v2.Vaccination) { v.Given.Lot = "A\rRXA|0|1|2020" }, nil, []string{"\rRXA|0|1|2020"}},
		"no route that has a code":               {func(v *hl7v2.Vaccination) { v.Given.Route, v.Given.Site = "by wish", "arm" }, nil, []string{"RXR|"}},
	} {
		v := vaccination()
		x.change(&v)
		got := string(v.Build())
		for _, h := range x.has {
			require.Contains(t, got, h, name)
		}
		for _, n := range x.not {
			require.NotContains(t, got, n, name)
		}
	}
}
