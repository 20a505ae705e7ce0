package app_test

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/registration"
	visits "deftledger/app/visit"
	"deftledger/core/chart"
)

func (c *clinic) sunniva() act.Actor { return c.who[act.FrontDesk] }

func runa() chart.Registration {
	return chart.Registration{Family: "de la Ødegård", Given: "Runa", BirthDate: "1991-05-02", Sex: "F", InUse: "Rue", Former: []string{"Tveit"},
		Telephones: []chart.Telephone{{Number: "(555) 010-7731", Use: "mobile"}, {Number: "555 010 9902", Use: "work"}}}
}

// Somebody new is registered by the front desk and by an assistant, found by every name and telephone, and their chart is
// open to who made it; the same act twice makes one record, also many at once.
func TestSomebodyNewIsRegistered(t *testing.T) {
	c := open(t)
	n := registration.Newcomer{ID: "new-1", Registration: runa(), Usual: c.doctor().ID}
	var wg sync.WaitGroup
	for range 8 {
		wg.Go(func() {
			out, err := c.app.Registration.Register(ctx, c.sunniva(), n)
			require.NoError(t, err)
			require.True(t, out.Kept)
			require.Equal(t, "new-1", out.ID)
		})
	}
	wg.Wait()
	require.Equal(t, 1, c.count("SELECT count(*) FROM patient WHERE given = 'Runa'"))
	require.Equal(t, 1, c.count("SELECT count(*) FROM registration WHERE patient_id = 'new-1' AND version = 1"))
	for _, q := range []string{"odegard", "rue", "tveit", "0107731", "5550109902", "1991-05-02"} {
		found, err := c.app.Chart.Find(ctx, c.sunniva(), q)
		require.NoError(t, err)
		require.Len(t, found, 1, q)
		require.Equal(t, "new-1", found[0].ID, q)
	}
	other := n
	other.Registration.Given = "Solveig"
	_, err := c.app.Registration.Register(ctx, c.sunniva(), other)
	require.Equal(t, act.Conflict, kind(t, err), "another person under the same identifier is no repetition")

	v, err := c.app.Registration.Registration(ctx, c.sunniva(), "new-1")
	require.NoError(t, err)
	require.Equal(t, runa().Tidied(), v.Registration)
	require.Equal(t, c.doctor().ID, v.Usual)
	require.Regexp(t, `^SK-\d{5}$`, v.Patient.Record)
	require.Len(t, v.History, 1)
	require.Equal(t, c.sunniva().Name, v.History[0].By)

	// An assistant who registers somebody nobody else is tied to opens the chart: it is theirs to begin.
	c.team(act.Assistant)
	r := runa()
	r.Family, r.Given, r.BirthDate, r.Telephones = "Quist", "Ola", "1960-01-01", nil
	out, err := c.app.Registration.Register(ctx, c.jonah(), registration.Newcomer{ID: "new-2", Registration: r})
	require.NoError(t, err)
	require.True(t, out.Kept)
	_, err = c.app.Chart.Chart(ctx, c.jonah(), "new-2")
	require.NoError(t, err)
	require.NotEqual(t, v.Patient.Record, out.Record)
	require.Empty(t, c.verify())
}

// What is wrong is refused and nothing kept; what is odd is asked, and kept once it is answered.
func TestARegistrationAsksBeforeItIsKept(t *testing.T) {
	c := open(t)
	before := c.count("SELECT count(*) FROM patient")
	n := registration.Newcomer{ID: "new-1", Registration: runa()}
	n.Registration.BirthDate, n.Registration.Guarantor = "2027-02-31", "nobody"
	out, err := c.app.Registration.Register(ctx, c.sunniva(), n)
	require.NoError(t, err)
	require.False(t, out.Kept)
	require.Len(t, out.Findings, 2)
	n.Answers.Yes = []string{out.Findings[0].Says, out.Findings[1].Says}
	out, err = c.app.Registration.Register(ctx, c.sunniva(), n)
	require.NoError(t, err)
	require.False(t, out.Kept, "what is wrong is not answered with yes")
	n.Registration.BirthDate, n.Registration.Guarantor, n.Answers.Yes = "2019-05-02", "", nil
	out, err = c.app.Registration.Register(ctx, c.sunniva(), n)
	require.NoError(t, err)
	require.False(t, out.Kept)
	require.Equal(t, "A child without a guardian?", out.Findings[0].Says)
	require.Equal(t, before, c.count("SELECT count(*) FROM patient"))
	n.Answers.Yes = []string{out.Findings[0].Says}
	out, err = c.app.Registration.Register(ctx, c.sunniva(), n)
	require.NoError(t, err)
	require.True(t, out.Kept)
}

// A likely double is shown before a second record is made, and every one of them has to be said to be another.
func TestALikelyDoubleIsShownFirst(t *testing.T) {
	c := open(t)
	for name, change := range map[string]func(*chart.Registration){
		"the same":                    func(*chart.Registration) {},
		"without diacritics, in caps": func(r *chart.Registration) { r.Family = "MARSH-ADEYEMI" },
		"one of two family names":     func(r *chart.Registration) { r.Family = "Adeyemi" },
		"another birth date":          func(r *chart.Registration) { r.BirthDate = "1968-04-13" },
		"another given name":          func(r *chart.Registration) { r.Given = "Otti" },
		"a married name":              func(r *chart.Registration) { r.Family = "Brenn" },
	} {
		r := chart.Registration{Family: "Marsh-Adeyemi", Given: "Ottoline", BirthDate: "1968-03-14", Sex: "F"}
		change(&r)
		out, err := c.app.Registration.Register(ctx, c.jonah(), registration.Newcomer{ID: "double", Registration: r})
		require.NoError(t, err)
		require.False(t, out.Kept, name)
		require.NotEmpty(t, out.Alike, name)
		require.Equal(t, patientID, out.Alike[0].Patient.ID, name)
		found, err := c.app.Registration.FindAlike(ctx, c.jonah(), r, "")
		require.NoError(t, err)
		require.Equal(t, out.Alike, found, name)
	}
	r := chart.Registration{Family: "Marsh-Adeyemi", Given: "Ottoline", BirthDate: "1968-03-14", Sex: "F"}
	out, err := c.app.Registration.Register(ctx, c.jonah(), registration.Newcomer{ID: "double", Registration: r,
		Answers: registration.Answers{Another: []string{patientID}}})
	require.NoError(t, err)
	require.True(t, out.Kept)
	require.Equal(t, 1, c.count("SELECT count(*) FROM audit WHERE act = 'register a patient' AND detail LIKE '%'||?||'%'", patientID))
	out, err = c.app.Registration.Register(ctx, c.jonah(), registration.Newcomer{ID: "third", Registration: r,
		Answers: registration.Answers{Another: []string{patientID}}})
	require.NoError(t, err)
	require.False(t, out.Kept, "the second one is a likely double, too")
	r.Family, r.Given, r.BirthDate = "Hallgrim", "Ase", "1950-01-01"
	out, err = c.app.Registration.Register(ctx, c.jonah(), registration.Newcomer{ID: "else", Registration: r})
	require.NoError(t, err)
	require.True(t, out.Kept, "nobody alike, nothing asked")
}

// A changed name keeps what stood before and is held against what is on its way: the order that went out under the old
// name is answered under it, and the answer finds the patient; one that names neither is held.
func TestANameChangesWhileAnOrderIsOut(t *testing.T) {
	c := open(t)
	o := c.order("K")
	v, err := c.app.Registration.Registration(ctx, c.sunniva(), patientID)
	require.NoError(t, err)
	require.Zero(t, v.Version, "entered before there was a registration")
	require.Len(t, v.OnTheWay, 1)
	c.now = c.now.Add(60e9)
	change := registration.ChangedRegistration{Registration: v.Registration, Version: v.Version, Usual: v.Usual}
	change.Registration.Family = "Brenn"
	out, err := c.app.Registration.ChangeRegistration(ctx, c.sunniva(), patientID, change)
	require.NoError(t, err)
	require.False(t, out.Kept)
	require.Contains(t, out.Findings[len(out.Findings)-1].Says, "why the family name changes")
	require.Contains(t, out.OnTheWay[0], "Potassium of 04 May 2026 is out under Ottoline Marsh-Adeyemi, born 14 Mar 1968")
	change.Reason = "Married."
	out, err = c.app.Registration.ChangeRegistration(ctx, c.sunniva(), patientID, change)
	require.NoError(t, err)
	require.False(t, out.Kept, "what is on its way was not seen")
	change.Answers.Yes = out.OnTheWay
	out, err = c.app.Registration.ChangeRegistration(ctx, c.sunniva(), patientID, change)
	require.NoError(t, err)
	require.True(t, out.Kept)
	_, err = c.app.Registration.ChangeRegistration(ctx, c.sunniva(), patientID, change)
	require.Equal(t, act.Conflict, kind(t, err), "made on what stood before")

	v, err = c.app.Registration.Registration(ctx, c.sunniva(), patientID)
	require.NoError(t, err)
	require.Equal(t, 2, v.Version)
	require.Len(t, v.History, 2, "what stood before is kept, with who changed it and why")
	require.Equal(t, []string{"Family name: Marsh-Adeyemi → Brenn"}, v.History[0].Says)
	require.Equal(t, "Married.", v.History[0].Reason)
	for _, name := range []string{"brenn", "marsh-adeyemi"} {
		found, err := c.app.Chart.Find(ctx, c.doctor(), name)
		require.NoError(t, err)
		require.Len(t, found, 1, "by the new name and by the one before")
	}

	c.receive(oru("S1", o.Placer+"-1", "F", "4.4", "Ottoline", "Odile"), "AA")
	require.Empty(t, c.desk().Reports, "neither name")
	require.Len(t, c.desk().Quarantine, 1)
	c.receive(oru("S2", o.Placer+"-1", "P", "4.2"), "AA")
	reports := c.desk().Reports
	require.Len(t, reports, 1, "the name it went out under")
	r, err := c.app.Result.Report(ctx, c.doctor(), reports[0].ID)
	require.NoError(t, err)
	require.Contains(t, r.MatchedWhy, "as they were registered when the order was signed: Ottoline Marsh-Adeyemi")
	c.receive(oru("S3", o.Placer+"-1", "F", "4.3", "Marsh-Adeyemi", "Brenn"), "AA")
	require.Len(t, c.desk().Reports, 1, "the new name is theirs, too")
	// An order of after the change is not answered under the old name.
	later := c.order("K")
	c.receive(oru("S4", later.Placer+"-1", "F", "4.9"), "AA")
	require.Equal(t, 0, c.count("SELECT count(*) FROM report WHERE order_id = ?", later.ID))
	require.Empty(t, c.verify())
	for _, q := range []string{"UPDATE registration SET content = '{}'", "DELETE FROM registration"} {
		_, err := past(t, c.dir).Exec(q)
		require.Error(t, err, q)
	}
}

// Two who change one registration at once: one of them is told.
func TestTwoChangeOneRegistration(t *testing.T) {
	c := open(t)
	v, err := c.app.Registration.Registration(ctx, c.sunniva(), patientID)
	require.NoError(t, err)
	kept, told := 0, 0
	var mu sync.Mutex
	var wg sync.WaitGroup
	for i := range 6 {
		wg.Go(func() {
			change := registration.ChangedRegistration{Registration: v.Registration, Version: v.Version, Usual: v.Usual}
			change.Registration.Language = []string{"English", "Norwegian", "Yoruba", "French", "German", "Polish"}[i]
			out, err := c.app.Registration.ChangeRegistration(ctx, c.sunniva(), patientID, change)
			mu.Lock()
			defer mu.Unlock()
			if err == nil && out.Kept {
				kept++
			} else if err != nil {
				told++
			}
		})
	}
	wg.Wait()
	require.Equal(t, []int{1, 5}, []int{kept, told})
	view, err := c.app.Chart.Chart(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	require.Contains(t, strings.Join(view.Speaking, "; "), "Language: ")
}

func picture(png bool) []byte {
	img := image.NewRGBA(image.Rect(0, 0, 300, 180))
	for x := range 300 {
		img.Set(x, x/2, color.RGBA{200, 30, 60, 255})
	}
	var out bytes.Buffer
	if png {
		_ = encodePNG(&out, img)
	} else {
		_ = jpeg.Encode(&out, img, nil)
	}
	return out.Bytes()
}

func encodePNG(out *bytes.Buffer, img image.Image) error { return png.Encode(out, img) }

// The picture of a card is kept as a document of its coverage; what is no picture is refused, and no other document is
// read as one.
func TestACardIsKeptAsADocument(t *testing.T) {
	c := open(t)
	v, err := c.app.Registration.Registration(ctx, c.sunniva(), patientID)
	require.NoError(t, err)
	change := registration.ChangedRegistration{Registration: v.Registration, Version: v.Version, Usual: v.Usual}
	change.Registration.Coverages = []chart.Coverage{{ID: "k1", Rank: "primary", Kind: "commercial", Payer: "Skerrow Mutual", Number: "SM-1", Holder: "self"}}
	out, err := c.app.Registration.ChangeRegistration(ctx, c.sunniva(), patientID, change)
	require.NoError(t, err)
	require.True(t, out.Kept, out.Findings)
	for name, bad := range map[string][]byte{"nothing": nil, "text": []byte("<svg onload=alert(1)>"), "half": picture(true)[:200],
		"a page": []byte("%PDF-1.7 ..."), "too much": append(picture(false), make([]byte, 9<<20)...)} {
		_, err := c.app.Registration.AddCard(ctx, c.sunniva(), patientID, "k1", "front", bad)
		require.Equal(t, act.Invalid, kind(t, err), name)
	}
	_, err = c.app.Registration.AddCard(ctx, c.sunniva(), patientID, "k9", "front", picture(true))
	require.Equal(t, act.Missing, kind(t, err))
	_, err = c.app.Registration.AddCard(ctx, c.sunniva(), patientID, "k1", "side", picture(true))
	require.Equal(t, act.Invalid, kind(t, err))
	_, err = c.app.Registration.AddCard(ctx, c.sunniva(), patientID, "k1", "front", picture(true))
	require.NoError(t, err)
	v, err = c.app.Registration.AddCard(ctx, c.sunniva(), patientID, "k1", "back", picture(false))
	require.NoError(t, err)
	require.Len(t, v.Cards, 2)
	require.Equal(t, "k1", v.Cards[0].Coverage)
	page, err := c.app.Registration.Card(ctx, c.sunniva(), v.Cards[0].ID)
	require.NoError(t, err)
	require.True(t, bytes.HasPrefix(page, []byte("%PDF-")))
	id, _, _ := c.written()
	doc, err := c.app.Paper.FileSection(ctx, c.doctor(), id, "Plan", false, "", "")
	require.NoError(t, err)
	_, err = c.app.Registration.Card(ctx, c.sunniva(), doc.ID)
	require.Equal(t, act.Missing, kind(t, err), "the front desk reads cards and no other document")
}

// Who is here without an appointment comes on today's list, once.
func TestSomebodyIsHereWithoutAnAppointment(t *testing.T) {
	c := open(t)
	out, err := c.app.Registration.Register(ctx, c.sunniva(), registration.Newcomer{ID: "new-1", Registration: runa()})
	require.NoError(t, err)
	require.True(t, out.Kept)
	w := visits.WalkIn{ID: "walk-1", Clinician: c.doctor().ID, Kind: "Acute visit", Reason: "Cut hand"}
	for range 2 {
		v, err := c.app.Visit.BeginWalkIn(ctx, c.sunniva(), "new-1", w)
		require.NoError(t, err)
		require.Equal(t, "walk-1", v.ID)
	}
	require.Equal(t, 1, c.count("SELECT count(*) FROM visit WHERE patient_id = 'new-1'"))
	day, err := c.app.Visit.Day(ctx, c.doctor(), "")
	require.NoError(t, err)
	n := 0
	for _, v := range day {
		if v.Patient.ID == "new-1" {
			n++
			require.Equal(t, "Cut hand", v.Reason)
			require.EqualValues(t, "arrived", v.Stage)
		}
	}
	require.Equal(t, 1, n)
	w.ID = "walk-2"
	_, err = c.app.Visit.BeginWalkIn(ctx, c.sunniva(), "new-1", w)
	require.Equal(t, act.Conflict, kind(t, err), "a visit today already")
	w.Clinician = c.sunniva().ID
	_, err = c.app.Visit.BeginWalkIn(ctx, c.sunniva(), patientID, w)
	require.Equal(t, act.Invalid, kind(t, err), "the front desk sees no patients")
	w.Clinician, w.Kind = c.doctor().ID, "Seance"
	_, err = c.app.Visit.BeginWalkIn(ctx, c.sunniva(), "new-1", w)
	require.Equal(t, act.Invalid, kind(t, err))
	_, err = c.app.Chart.Chart(ctx, c.doctor(), "new-1")
	require.NoError(t, err, "the visit ties the clinician")
}
