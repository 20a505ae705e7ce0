package app_test

import (
	"errors"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/desk"
	"deftledger/app/packet"
	"deftledger/app/result"
	"deftledger/core/line"
	"deftledger/standin"
)

// brought has the results of a potassium and a sodium arrive for one patient.
func (c *clinic) brought(control, potassium, sodium string) (placer string) {
	c.Helper()
	o := c.order("K", "NA")
	c.step()
	c.receive(oru(control+"K", o.Placer+"-1", "F", potassium), "AA")
	c.receive(oru(control+"N", o.Placer+"-2", "F", sodium, "K^Potassium^L^2823-3^^LN", "NA^Sodium^L^2951-2^^LN", "3.5-5.1", "136-145"), "AA")
	return o.Placer
}

func (c *clinic) packet(who act.Actor) packet.PacketView {
	c.Helper()
	p, err := c.app.Packet.Open(ctx, who, patientID, "")
	require.NoError(c, err)
	return p
}

// decided is a decision on a packet: "sign" or "hand over" for each of its reports, in their order, "" for none.
func (c *clinic) decided(p packet.PacketView, id, told string, acts ...string) packet.PacketSettled {
	s := packet.PacketSettled{ID: id, Comment: "Seen.", Told: told, Secret: secret, Text: "All is well."}
	for i, a := range acts {
		if a == "" {
			continue
		}
		r := packet.SettledReport{ID: p.Reports[i].ID, Issue: p.Reports[i].Issue, Version: p.Reports[i].Version, Act: a}
		if a == "hand over" {
			r.To, r.Instruction, r.Until = c.jonah().ID, "Call her and ask about the diarrhea.", p.Until
		}
		s.Reports = append(s.Reports, r)
	}
	return s
}

// toTell leaves a report handed to the assistant, and one that the patient is to be called about, with an attempt.
func (c *clinic) toTell() (handed, telling string) {
	c.Helper()
	placer := c.brought("TT", "4.4", "141")
	p := c.packet(c.doctor())
	acts := make([]string, len(p.Reports))
	for i, r := range p.Reports {
		if r.Order != nil && r.Order.Placer == placer {
			acts[i] = map[string]string{"Potassium": "hand over", "Sodium": "sign"}[r.Title]
		}
	}
	_, err := c.app.Packet.Settle(ctx, c.doctor(), patientID, c.decided(p, "to-tell-1", "call", acts...))
	require.NoError(c, err)
	handed, telling = c.text("SELECT id FROM inquiry WHERE kind = 'hand-over'"), c.text("SELECT id FROM inquiry WHERE kind = 'telling'")
	require.NoError(c, c.app.Packet.Tried(ctx, c.jonah(), telling, packet.TellAttempt{Came: "no answer", Why: "mailbox full"}))
	return handed, telling
}

// results are the rows of somebody's list of results, a row a patient.
func (c *clinic) results(who act.Actor) []*act.LineRow {
	c.Helper()
	d, err := c.app.Desk.MyDesk(ctx, who, desk.DeskSought{List: act.ResultList})
	require.NoError(c, err)
	return d.Rows
}

func (c *clinic) narrowed(x desk.DeskSought) []string {
	c.Helper()
	x.List, x.Narrowed = act.ResultList, true
	d, err := c.app.Desk.MyDesk(ctx, c.doctor(), x)
	require.NoError(c, err)
	var out []string
	for _, r := range d.Rows {
		out = append(out, r.Title)
	}
	return out
}

// A patient's reports are one row and one page, signed at once with one comment; each is sealed by itself, and the same decision
// again does nothing twice.
func TestAPacketIsOneRowAndOneSignature(t *testing.T) {
	c := open(t)
	c.brought("A", "5.9", "140")
	rows := c.results(c.doctor())
	require.Len(t, rows, 1)
	require.Equal(t, "2 reports, final", rows[0].Title)
	require.Equal(t, &act.PacketOf{Reports: 2}, rows[0].Packet)
	require.Equal(t, 1, rows[0].Flags.Above)
	require.Equal(t, 1, rows[0].Flags.InRange)
	d, err := c.app.Desk.MyDesk(ctx, c.doctor(), desk.DeskSought{List: act.ResultList, Each: true})
	require.NoError(t, err)
	require.Len(t, d.Rows, 2, "who prefers a row each has them")
	for _, each := range []bool{true, false} {
		require.NoError(t, c.app.Session.SetEachReport(ctx, c.doctor(), each))
		kept, err := c.app.Session.EachReport(ctx, c.doctor())
		require.NoError(t, err)
		require.Equal(t, each, kept)
	}

	p := c.packet(c.doctor())
	require.Equal(t, "Potassium", p.Reports[0].Title, "the gravest first")
	s := c.decided(p, "packet-01", "portal", "sign", "sign")
	s.Text = ""
	_, err = c.app.Packet.Settle(ctx, c.doctor(), patientID, s)
	require.Equal(t, act.Invalid, kind(t, err), "what the patient reads is written")
	s.Text = "Your potassium is high: please call."
	_, err = c.app.Packet.Settle(ctx, c.doctor(), patientID, s)
	require.Equal(t, act.Invalid, kind(t, err), "no portal is connected")
	require.Zero(t, c.count("SELECT count(*) FROM review"), "nothing of it is done")
	portal := c.others()
	portal.Set(func(e *standin.Elsewhere) { e.Accounts = []string{"SK-1"} })
	for range 2 {
		done, err := c.app.Packet.Settle(ctx, c.doctor(), patientID, s)
		require.NoError(t, err)
		require.Equal(t, 2, done.Signed)
	}
	require.Equal(t, 2, c.count("SELECT count(*) FROM review WHERE comment = 'Seen.' AND told = 'portal'"))
	require.Equal(t, 1, c.count("SELECT count(*) FROM message WHERE text LIKE 'Your potassium%'"))
	require.Empty(t, c.results(c.doctor()))
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'to tell' AND closed_at = ''"), "out of range: its reading is waited for")
	c.step()
	require.Zero(t, c.count("SELECT count(*) FROM line WHERE kind = 'message' AND closed_at = ''"), "delivered")
	require.Empty(t, c.verify())
	// Unread, it comes back.
	c.now = c.now.AddDate(0, 0, 7)
	c.step()
	require.Equal(t, "waiting on others", c.text("SELECT state FROM line WHERE kind = 'to tell'"))
	c.now = c.now.AddDate(0, 0, 1)
	c.step()
	c.step()
	require.Equal(t, "open", c.text("SELECT state FROM line WHERE kind = 'to tell'"))
	require.Equal(t, 1, c.count("SELECT count(*) FROM inquiry_event WHERE kind = 'day passed'"), "said once")
	// And closes when she has read it.
	portal.Set(func(e *standin.Elsewhere) { e.ReadAfter = 1 })
	c.step()
	c.step()
	require.Zero(t, c.count("SELECT count(*) FROM line WHERE kind = 'to tell' AND closed_at = ''"))
	require.Contains(t, c.text("SELECT closed_with FROM line WHERE kind = 'to tell'"), "read in the portal, 20")
	require.Equal(t, 1, c.count("SELECT count(*) FROM inquiry_event WHERE kind = 'read'"))
}

// What is decided on a packet is decided as a whole or not at all, and only on what was seen.
func TestAPacketIsDecidedAsAWhole(t *testing.T) {
	c := open(t)
	c.brought("A", "5.9", "140")
	p := c.packet(c.doctor())
	for says, spoil := range map[string]func(*packet.PacketSettled){
		"Say how the patient was told": func(s *packet.PacketSettled) { s.Told = "" },
		"decided on twice":             func(s *packet.PacketSettled) { s.Reports[1] = s.Reports[0] },
		"cannot be found":              func(s *packet.PacketSettled) { s.Reports[1].ID = "nothing" },
		"changed":                      func(s *packet.PacketSettled) { s.Reports[1].Version = 9 },
		"open field":                   func(s *packet.PacketSettled) { s.Told, s.Text = "call", "Dear {?who}" },
		"has passed":                   func(s *packet.PacketSettled) { s.Told, s.Until = "visit", "2020-01-01" },
		"what is to be done": func(s *packet.PacketSettled) {
			s.Reports[1].Act, s.Reports[1].To, s.Reports[1].Until = "hand over", c.jonah().ID, p.Until
		},
		"is yours already": func(s *packet.PacketSettled) {
			s.Reports[1].Act, s.Reports[1].To, s.Reports[1].Until, s.Reports[1].Instruction = "hand over", c.doctor().ID, p.Until, "Call."
		},
		"cannot see results": func(s *packet.PacketSettled) {
			s.Reports[1].Act, s.Reports[1].To, s.Reports[1].Until, s.Reports[1].Instruction = "hand over", c.who[act.FrontDesk].ID, p.Until, "Call."
		},
		"within a year": func(s *packet.PacketSettled) {
			s.Reports[1].Act, s.Reports[1].To, s.Reports[1].Until, s.Reports[1].Instruction = "hand over", c.jonah().ID, "2026-01-01", "Call."
		},
	} {
		s := c.decided(p, "packet-02", "telephone", "sign", "sign")
		spoil(&s)
		_, err := c.app.Packet.Settle(ctx, c.doctor(), patientID, s)
		var r *act.Refusal
		require.True(t, errors.As(err, &r), "%s: %v", says, err)
		require.Contains(t, err.Error(), says)
		require.Zero(t, c.count("SELECT count(*) FROM review"), says)
		require.Zero(t, c.count("SELECT count(*) FROM inquiry"), says)
	}
	s := c.decided(p, "packet-02", "telephone", "sign", "sign")
	_, err := c.app.Packet.Settle(ctx, c.jonah(), patientID, s)
	require.Equal(t, act.Forbidden, kind(t, err), "an assistant signs nothing")
	_, err = c.app.Packet.Settle(ctx, c.doctor(), "p2", s)
	require.Error(t, err, "of another chart")
	require.Zero(t, c.count("SELECT count(*) FROM review"))
}

// A critical value is never signed together with others.
func TestACriticalValueIsSignedByItself(t *testing.T) {
	c := open(t)
	o := c.order("K", "NA")
	c.step()
	c.receive(oru("CK", o.Placer+"-1", "F", "6.9", "3.5-5.1||||", "3.5-5.1|HH|||"), "AA")
	c.receive(oru("CN", o.Placer+"-2", "F", "140", "K^Potassium^L^2823-3^^LN", "NA^Sodium^L^2951-2^^LN", "3.5-5.1", "136-145"), "AA")
	p := c.packet(c.doctor())
	_, err := c.app.Packet.Settle(ctx, c.doctor(), patientID, c.decided(p, "critical1", "telephone", "sign", "sign"))
	require.Equal(t, act.Conflict, kind(t, err))
	require.NoError(t, c.app.Result.TellCritical(ctx, c.doctor(), p.Reports[0].ID, result.CriticalContact{Reached: true, Who: "herself", How: "telephone", ReadBack: true}))
	_, err = c.app.Packet.Settle(ctx, c.doctor(), patientID, c.decided(c.packet(c.doctor()), "critical1", "telephone", "sign"))
	require.NoError(t, err)
	require.Len(t, c.packet(c.doctor()).Reports, 1)
}

// A report handed over is a line of whom it was given to, waits with who answers for it, comes back with what was done, and on its
// day is open with both.
func TestAReportIsHandedOverAndComesBack(t *testing.T) {
	c := open(t)
	c.brought("A", "5.9", "140")
	p := c.packet(c.doctor())
	require.Contains(t, p.HandTo[0].Name, "medical assistant", "who is handed most stands first")
	hand := c.decided(p, "hand-over1", "telephone", "hand over", "sign")
	for range 2 {
		done, err := c.app.Packet.Settle(ctx, c.doctor(), patientID, hand)
		require.NoError(t, err)
		require.Equal(t, 1, done.Signed)
	}
	require.Equal(t, 1, c.count("SELECT count(*) FROM inquiry WHERE kind = 'hand-over'"))
	theirs := c.results(c.jonah())
	require.Len(t, theirs, 1)
	require.Equal(t, line.HandOver, theirs[0].Kind)
	require.Equal(t, "Potassium: Call her and ask about the diarrhea.", theirs[0].Title)
	mine := c.results(c.doctor())
	require.Len(t, mine, 1)
	require.Equal(t, line.Waiting, mine[0].State)
	p = c.packet(c.doctor())
	require.Equal(t, "open", p.Reports[0].Handed[0].State)
	_, err := c.app.Packet.Settle(ctx, c.doctor(), patientID, c.decided(p, "hand-over2", "", "hand over"))
	require.Equal(t, act.Conflict, kind(t, err), "it is handed over already")

	// The day passes: it is mine again, and still on theirs.
	c.now = c.now.AddDate(0, 0, 4)
	c.step()
	require.Equal(t, line.Open, c.results(c.doctor())[0].State)
	require.True(t, c.packet(c.doctor()).Reports[0].Handed[0].Passed)
	require.True(t, c.results(c.jonah())[0].Grave)

	id := theirs[0].ID
	require.Equal(t, act.Invalid, kind(t, c.app.Packet.AnswerHandOver(ctx, c.jonah(), id, " ", false)), "what was done is said")
	for range 2 {
		require.NoError(t, c.app.Packet.AnswerHandOver(ctx, c.jonah(), id, "Called, it stopped on Monday.", false))
	}
	require.Equal(t, act.Conflict, kind(t, c.app.Packet.AnswerHandOver(ctx, c.jonah(), id, "Something else.", true)))
	require.Empty(t, c.results(c.jonah()))
	h := c.packet(c.doctor()).Reports[0].Handed[0]
	require.Equal(t, "done", h.State)
	require.Equal(t, "Called, it stopped on Monday.", h.Answer)
	require.NotEmpty(t, h.AnswerBy)

	// Given to the team, anybody of it answers; signed meanwhile, it is taken back.
	p = c.packet(c.doctor())
	team := c.decided(p, "hand-over3", "", "hand over")
	team.Reports[0].To = ""
	_, err = c.app.Packet.Settle(ctx, c.doctor(), patientID, team)
	require.NoError(t, err)
	require.Len(t, c.results(c.petra()), 1)
	_, err = c.app.Packet.Settle(ctx, c.doctor(), patientID, c.decided(c.packet(c.doctor()), "hand-over4", "telephone", "sign"))
	require.NoError(t, err)
	require.Empty(t, c.results(c.petra()))
	require.Equal(t, "taken back", c.text("SELECT state FROM inquiry WHERE origin LIKE 'hand-over hand-over3%'"))
	require.Empty(t, c.verify())
}

// Nobody is told by an attempt that reached nobody; a letter is told when somebody says that it was posted; what was to be told at a
// visit comes back after its day.
func TestAPatientIsToldWhenSomebodySaysSo(t *testing.T) {
	c := open(t)
	_, id := c.toTell()
	v, err := c.app.Packet.Telling(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "no answer: mailbox full", v.Attempts[0].Says)
	require.Len(t, v.Reports, 1)
	require.Contains(t, v.Reports[0].Says, "Sodium: 141 mmol/L (the laboratory's range is 136-145)", "who calls knows what to say")
	require.Equal(t, "Seen.", v.Reports[0].Comment)
	require.False(t, v.Reports[0].Corrected)
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'to tell' AND closed_at = ''"))
	require.Equal(t, act.Invalid, kind(t, c.app.Packet.Tried(ctx, c.jonah(), id, packet.TellAttempt{Came: "reached"})), "who was reached is said")
	require.Equal(t, act.Forbidden, kind(t, c.app.Packet.Tried(ctx, c.jonah(), id, packet.TellAttempt{Came: "not told", Why: "no need"})))
	require.NoError(t, c.app.Packet.Tried(ctx, c.jonah(), id, packet.TellAttempt{Came: "reached", Who: "herself"}))
	require.Equal(t, act.Conflict, kind(t, c.app.Packet.Tried(ctx, c.jonah(), id, packet.TellAttempt{Came: "reached", Who: "her son"})))
	require.Equal(t, "reached, herself", c.text("SELECT closed_with FROM line WHERE kind = 'to tell'"))

	// At a visit.
	placer := c.brought("B", "4.0", "139")
	p := c.packet(c.doctor())
	i := slices.IndexFunc(p.Reports, func(r packet.PacketReport) bool { return r.Order.Placer == placer })
	acts := make([]string, i+1)
	acts[i] = "sign"
	s := c.decided(p, "at-visit1", "visit", acts...)
	s.Until = c.now.AddDate(0, 0, 2).Format(time.DateOnly)
	_, err = c.app.Packet.Settle(ctx, c.doctor(), patientID, s)
	require.NoError(t, err)
	require.Equal(t, "waiting on others", c.text("SELECT state FROM line WHERE subject = 'tell-at-visit1'"))
	c.now = c.now.AddDate(0, 0, 3)
	c.step()
	require.Equal(t, "open", c.text("SELECT state FROM line WHERE subject = 'tell-at-visit1'"))
	require.NoError(t, c.app.Packet.Tried(ctx, c.doctor(), "tell-at-visit1", packet.TellAttempt{Came: "at the visit"}))
	require.Empty(t, c.verify())
}

// Who is young is not written to of results, by the clinic's rule, which is shown before it acts.
func TestTheYoungAreNotWrittenToOfResults(t *testing.T) {
	c := open(t)
	c.others()
	c.brought("A", "4.0", "140")
	_, err := past(t, c.dir).Exec("UPDATE patient SET birth_date = '2011-03-14' WHERE id = ?", patientID)
	require.NoError(t, err)
	p := c.packet(c.doctor())
	for _, w := range p.Ways {
		if w.Way == "portal" || w.Way == "letter" {
			require.Contains(t, w.Not, "at this age", w.Way)
		} else {
			require.Empty(t, w.Not, w.Way)
		}
	}
	_, err = c.app.Packet.Settle(ctx, c.doctor(), patientID, c.decided(p, "young-001", "portal", "sign", "sign"))
	require.Equal(t, act.Invalid, kind(t, err))
}

// What waits is narrowed by words, state, flag, facility, age and whose; a colleague's who is covered stands with one's own.
func TestTheListOfResultsIsNarrowed(t *testing.T) {
	c := open(t)
	c.brought("A", "5.9", "140")
	both := []string{"2 reports, final"}
	for name, x := range map[string]struct {
		sought desk.DeskSought
		want   []string
	}{
		"a name":              {desk.DeskSought{Words: "adeyemi"}, both},
		"a report":            {desk.DeskSought{Words: "potas"}, []string{"Potassium, final"}},
		"two words":           {desk.DeskSought{Words: "ottoline sod"}, []string{"Sodium, final"}},
		"in any order":        {desk.DeskSought{Words: "Sod Marsh-Ade"}, []string{"Sodium, final"}},
		"nobody":              {desk.DeskSought{Words: "zzz"}, nil},
		"out of range":        {desk.DeskSought{Flag: "out of range"}, []string{"Potassium, final"}},
		"in range":            {desk.DeskSought{Flag: "in range"}, []string{"Sodium, final"}},
		"preliminary":         {desk.DeskSought{State: "preliminary"}, nil},
		"final":               {desk.DeskSought{State: "final"}, both},
		"old":                 {desk.DeskSought{Days: 3}, nil},
		"of those covered":    {desk.DeskSought{Whose: "covered"}, nil},
		"mine, by age":        {desk.DeskSought{Whose: "mine", Sort: "oldest"}, both},
		"of an unknown place": {desk.DeskSought{Facility: "Elsewhere"}, nil},
	} {
		require.Equal(t, x.want, c.narrowed(x.sought), name)
	}
	// A preliminary value is judged as it stands, one that nobody judged is in neither, and a corrected one in range is in range.
	c.later(1)
	o := c.order("K", "NA")
	c.step()
	c.receive(oru("P1", o.Placer+"-1", "P", "6.0"), "AA")
	c.receive(oru("P2", o.Placer+"-2", "F", "130", "K^Potassium^L^2823-3^^LN", "NA^Sodium^L^2951-2^^LN", "3.5-5.1", ""), "AA")
	require.Equal(t, []string{"2 reports; 1 preliminary"}, c.narrowed(desk.DeskSought{Flag: "out of range"}))
	require.Equal(t, []string{"Sodium, final"}, c.narrowed(desk.DeskSought{Flag: "not judged"}))
	require.Equal(t, []string{"Sodium, final"}, c.narrowed(desk.DeskSought{Flag: "in range"}))
	require.Equal(t, []string{"Potassium, preliminary"}, c.narrowed(desk.DeskSought{Flag: "out of range", State: "preliminary"}))
	c.now = c.now.AddDate(0, 0, 3)
	require.Equal(t, []string{"4 reports; 1 preliminary"}, c.narrowed(desk.DeskSought{Days: 3}))
}

// A report that does not belong in a chart takes along what hung on it: nobody goes on working at it under the wrong name, nobody is
// called critical who is not, and what its patient was still to be told stands on the signer's desk at once.
func TestWhatHangsOnAReportLeavesWithIt(t *testing.T) {
	c := open(t)
	placer := c.brought("A", "6.9", "140")
	p := c.packet(c.doctor())
	i := slices.IndexFunc(p.Reports, func(r packet.PacketReport) bool { return r.Title == "Potassium" && r.Order.Placer == placer })
	acts := make([]string, len(p.Reports))
	acts[i] = "hand over"
	_, err := c.app.Packet.Settle(ctx, c.doctor(), patientID, c.decided(p, "leaving-1", "", acts...))
	require.NoError(t, err)
	require.Len(t, c.announced(c.doctor()), 1)
	require.NoError(t, c.app.Result.Detach(ctx, c.doctor(), p.Reports[i].ID, "The tube was of somebody else."))
	require.Empty(t, c.announced(c.doctor()), "the bar names nobody who is not meant")
	for _, r := range c.results(c.jonah()) {
		require.NotEqual(t, line.HandOver, r.Kind, "and nobody works at it")
	}
	require.Equal(t, "taken back", c.text("SELECT state FROM inquiry WHERE kind = 'hand-over'"))

	// Of the other one, signed, she was to be called.
	p = c.packet(c.doctor())
	_, err = c.app.Packet.Settle(ctx, c.doctor(), patientID, c.decided(p, "leaving-2", "letter", "sign"))
	require.Equal(t, act.Invalid, kind(t, err), "no address")
	s := c.decided(p, "leaving-2", "visit", "sign")
	s.Until = c.now.AddDate(0, 0, 5).Format(time.DateOnly)
	_, err = c.app.Packet.Settle(ctx, c.doctor(), patientID, s)
	require.NoError(t, err)
	require.Equal(t, "waiting on others", c.text("SELECT state FROM line WHERE kind = 'to tell'"))
	require.NoError(t, c.app.Result.Detach(ctx, c.doctor(), p.Reports[0].ID, "That one too."))
	require.Equal(t, "open", c.text("SELECT state FROM line WHERE kind = 'to tell'"))
	for _, r := range c.desk().Rows {
		if r.Kind == line.Telling {
			require.Equal(t, "a report has left the chart", r.Mark)
		}
	}
	v, err := c.app.Packet.Telling(ctx, c.doctor(), "tell-leaving-2")
	require.NoError(t, err)
	require.Equal(t, "left the chart: Sodium", v.Attempts[0].Says)
	require.True(t, v.Reports[0].Gone)
	require.Empty(t, v.Reports[0].Says, "nothing of it is told")
	require.Empty(t, c.verify())
}

// What was not judged is not in range: that it was read is waited for as for what is out of range.
func TestWhatNobodyJudgedIsWaitedFor(t *testing.T) {
	for name, x := range map[string]struct {
		change []string
		waits  int
	}{
		"in range": {nil, 0}, "no range": {[]string{"3.5-5.1", ""}, 1}, "words": {[]string{"||NM|", "||ST|", "||4.4|", "||hemolyzed|"}, 1}, "abnormal": {[]string{"3.5-5.1||||", "3.5-5.1|A|||"}, 1},
	} {
		t.Run(name, func(t *testing.T) {
			c := open(t)
			portal := c.others()
			portal.Set(func(e *standin.Elsewhere) { e.Accounts = []string{"SK-1"} })
			o := c.order("K")
			c.step()
			c.receive(oru("N1", o.Placer+"-1", "F", "4.4", x.change...), "AA")
			_, err := c.app.Packet.Settle(ctx, c.doctor(), patientID, c.decided(c.packet(c.doctor()), "judged-01", "portal", "sign"))
			require.NoError(t, err)
			require.Equal(t, x.waits, c.count("SELECT count(*) FROM line WHERE kind = 'to tell' AND closed_at = ''"))
		})
	}
}

// What is handed over is answered by whom it was given to; by who gave it only as taken back, and by nobody else.
func TestWhoAnswersAHandOver(t *testing.T) {
	c := open(t)
	handed, _ := c.toTell()
	require.Equal(t, act.Forbidden, kind(t, c.app.Packet.AnswerHandOver(ctx, c.petra(), handed, "I did it.", false)))
	require.Equal(t, act.Invalid, kind(t, c.app.Packet.AnswerHandOver(ctx, c.doctor(), handed, "Done.", false)), "who gave it takes it back")
	_, err := c.app.Packet.Settle(ctx, c.jonah(), patientID, packet.PacketSettled{ID: "assistant1", Reports: []packet.SettledReport{{ID: "x", Act: "hand over"}}})
	require.Equal(t, act.Forbidden, kind(t, err), "who answers for a report hands it over")
	v, err := c.app.Packet.HandOver(ctx, c.doctor(), handed)
	require.NoError(t, err)
	require.True(t, v.Mine)
	v, err = c.app.Packet.HandOver(ctx, c.jonah(), handed)
	require.NoError(t, err)
	require.False(t, v.Mine)
	require.NoError(t, c.app.Packet.AnswerHandOver(ctx, c.doctor(), handed, "I do it myself.", true))
	require.Equal(t, "taken back", c.text("SELECT state FROM inquiry WHERE id = ?", handed))
}
