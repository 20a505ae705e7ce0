package web

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	orderCore "deftledger/core/order"
	"deftledger/store"
)

// oddWords are what people type, and what nobody should.
var oddWords = []string{"Plain words.", "Ünïcode, Łódź and 漢字", "<b>bold</b> & \"quoted\" 'so'", "two  blanks and\ttab", "a line\nand another", "  blanks around  ",
	"an owl 🦉 and a family 👩‍👩‍👧", "n\u0303 decomposed", "50% of 1/2 > 0.5 mg; then 1.0", "'; DROP TABLE note; --", "null", "-5", strings.Repeat("long words ", 12)}

// posted is a writing operation with where what it wrote is read again. w is one of the odd words.
type posted struct {
	who, method, path string
	before            func(t *testing.T, o *office)             // what has to be there first
	body              func(o *office, w string, n int) m        // what is sent
	read              string                                    // where it is read; "{note}" is the note
	want              func(o *office, w string, n int) []string // what has to be read there; nil for the words alone
	after             func(o *office)                           // so that it can be done again
}

func (o *office) at(path string) string { return strings.ReplaceAll(path, "{note}", o.note) }

// version reads a number of the note.
func (o *office) noteNumber(of string) int {
	var v map[string]any
	_ = json.Unmarshal(o.raw(act.Physician, "GET", "/api/notes/"+o.note, "").Body.Bytes(), &v)
	n, _ := v[of].(float64)
	return int(n)
}

func (o *office) partVersion(part string) int {
	var v struct {
		Parts []struct {
			Part    string
			Version int
		}
	}
	_ = json.Unmarshal(o.raw(act.Physician, "GET", "/api/notes/"+o.note, "").Body.Bytes(), &v)
	for _, p := range v.Parts {
		if p.Part == part {
			return p.Version
		}
	}
	return 0
}

func (o *office) diagnose(t *testing.T, codes ...string) {
	w := o.raw(act.Physician, "PUT", "/api/notes/"+o.note+"/diagnoses", jsonOf(m{"codes": codes, "version": o.noteNumber("listVersion")}))
	require.Equal(t, http.StatusOK, w.Code, w.Body.String())
}

func (o *office) signed(t *testing.T) {
	o.diagnose(t, "M10.071")
	versions := m{}
	for _, p := range []string{"subjective", "objective", "assessment", "plan"} {
		w := o.raw(act.Physician, "PUT", "/api/notes/"+o.note+"/parts/"+p, jsonOf(m{"text": "Words.", "base": 0, "saveId": "s" + p}))
		require.Equal(t, http.StatusOK, w.Code, w.Body.String())
		versions[p] = 1
	}
	w := o.raw(act.Physician, "POST", "/api/notes/"+o.note+"/sign", jsonOf(m{"secret": "kittiwake", "versions": versions, "listVersion": o.noteNumber("listVersion")}))
	require.Equal(t, http.StatusOK, w.Code, w.Body.String())
}

func jsonOf(v any) string { b, _ := json.Marshal(v); return string(b) }

// readBack are the writing operations whose words or values are read again.
var readBack = map[string]posted{
	"save-part": {who: act.Physician, method: "PUT", path: "/api/notes/{note}/parts/plan", read: "/api/notes/{note}",
		body: func(o *office, w string, n int) m {
			return m{"text": w, "base": o.partVersion("plan"), "saveId": fmt.Sprint("s", n)}
		}},
	"set-diagnoses": {who: act.Physician, method: "PUT", path: "/api/notes/{note}/diagnoses", read: "/api/notes/{note}",
		body: func(o *office, w string, n int) m {
			return m{"codes": []string{[]string{"I10", "E11.9", w}[n%3]}, "version": o.noteNumber("listVersion")}
		}, want: func(_ *office, w string, n int) []string { return []string{[]string{"I10", "E11.9", w}[n%3]} }},
	"say-of-diagnosis": {who: act.Physician, method: "POST", path: "/api/notes/{note}/diagnoses/words", read: "/api/notes/{note}",
		before: func(t *testing.T, o *office) { o.diagnose(t, "I10") },
		body: func(o *office, w string, n int) m {
			return m{"code": "I10", "response": "stable", "because": "", "complicated": "", "measures": []string{}, "remark": w, "version": n - 1}
		}},
	"join-diagnosis": {who: act.Physician, method: "POST", path: "/api/notes/{note}/diagnoses/join", read: "/api/notes/{note}",
		before: func(t *testing.T, o *office) { o.diagnose(t, "I10", "E11.9") },
		body:   func(_ *office, w string, n int) m { return m{"code": "E11.9", "on": n%2 == 1} },
		want:   func(_ *office, w string, n int) []string { return []string{fmt.Sprint("joined=", n%2 == 1)} }},
	"save-drawing": {who: act.Physician, method: "POST", path: "/api/notes/{note}/drawings", read: "/api/notes/{note}",
		body: func(_ *office, w string, n int) m {
			return m{"id": fmt.Sprint("d", n), "outline": "front", "caption": w, "strokes": `[{"color":"red","points":[[200,120,0.2],[210,130,0.9]]}]`, "version": 0}
		}},
	"set-findings": {who: act.Physician, method: "POST", path: "/api/notes/{note}/findings", read: "/api/notes/{note}",
		body: func(_ *office, w string, n int) m {
			return m{"changes": []m{{"area": "review", "system": "skin", "finding": "", "state": "remark", "side": "", "severity": "", "duration": "", "words": []string{},
				"remark": w, "bring": false, "clear": false, "rest": []string{}, "was": -1}}}
		}},
	"answer": {who: act.Physician, method: "POST", path: "/api/notes/{note}/answers", read: "/api/notes/{note}",
		before: func(t *testing.T, o *office) {
			w := o.raw(act.Physician, "POST", "/api/notes/"+o.note+"/interviews", `{"interview":"check-up","drop":false}`)
			require.Equal(t, http.StatusOK, w.Code, w.Body.String())
		},
		body: func(_ *office, w string, n int) m {
			return m{"interview": "check-up", "link": "concerns", "values": []m{{"text": w}}, "was": n - 1}
		}},
	"ask": {who: act.Physician, method: "POST", path: "/api/notes/{note}/interviews", read: "/api/notes/{note}",
		body: func(_ *office, w string, n int) m {
			return m{"interview": []string{"cough", "headache", w}[n%3], "drop": false}
		},
		want: func(_ *office, w string, n int) []string { return []string{[]string{"Cough", "Headache", w}[n%3]} }},
	"ask-back": {who: act.Physician, method: "POST", path: "/api/notes/{note}/follow-up", read: "/api/notes/{note}",
		body: func(_ *office, w string, n int) m { return m{"when": "2w", "reason": w} }},
	"dismiss-code": {who: act.Physician, method: "POST", path: "/api/notes/{note}/supported/dismiss", read: "/api/notes/{note}",
		body: func(_ *office, w string, n int) m { return m{"code": "I10"} }, want: func(*office, string, int) []string { return nil }},
	"leave-note": {who: act.Physician, method: "POST", path: "/api/notes/{note}/leave", read: "/api/notes/{note}",
		body: func(_ *office, w string, n int) m { return m{"staff": "second", "words": w} },
		after: func(o *office) {
			o.raw("second", "POST", o.at("/api/notes/{note}/leave"), jsonOf(m{"staff": act.Physician, "words": "back"}))
		}},
	"file-section": {who: act.Physician, method: "POST", path: "/api/notes/{note}/documents", read: "/api/patients/p/timeline",
		before: func(t *testing.T, o *office) {
			o.raw(act.Physician, "PUT", "/api/notes/"+o.note+"/parts/plan", `{"text":"Rest.","base":0,"saveId":"x"}`)
		},
		body: func(_ *office, w string, n int) m { return m{"section": []string{"Plan", w}[n%2]} },
		want: func(_ *office, w string, n int) []string { return []string{[]string{"Plan, Acute visit", w}[n%2]} }},
	"add-charge": {who: act.Physician, method: "POST", path: "/api/notes/{note}/charges", read: "/api/notes/{note}/charges",
		body: func(o *office, w string, n int) m { return m{"code": []string{"99213", w}[n%2], "was": (n - 1) / 2} },
		want: func(_ *office, w string, n int) []string { return []string{[]string{"99213", w}[n%2]} }},
	"amend-note": {who: act.Physician, method: "POST", path: "/api/notes/{note}/amendments", read: "/api/notes/{note}", before: func(t *testing.T, o *office) { o.signed(t) },
		body: func(_ *office, w string, n int) m { return m{"secret": "kittiwake", "text": w} }},
	"retract-note": {who: act.Physician, method: "POST", path: "/api/notes/{note}/retract", read: "/api/notes/{note}", before: func(t *testing.T, o *office) { o.signed(t) },
		body: func(_ *office, w string, n int) m { return m{"secret": "kittiwake", "reason": "Written for another."} },
		want: func(*office, string, int) []string { return []string{"Written for another."} }},
	"keep-plan-as-set": {who: act.Physician, method: "POST", path: "/api/notes/{note}/sets/present", read: "/api/notes/{note}/sets",
		before: func(t *testing.T, o *office) {
			w := o.raw(act.Physician, "PUT", "/api/notes/"+o.note+"/parts/plan", `{"text":"Rest the foot. Ice it.","base":0,"saveId":"x"}`)
			require.Equal(t, http.StatusOK, w.Code)
			o.diagnose(t, "M10.071")
		},
		body: func(o *office, w string, n int) m {
			return m{"title": strings.TrimSpace(w[:min(len(w), 60)]), "parts": o.planParts(), "replace": true}
		}, want: func(_ *office, w string, n int) []string { return []string{strings.TrimSpace(w[:min(len(w), 60)])} }},
	"add-entry": {who: act.Assistant, method: "POST", path: "/api/visits/v/entries", read: "/api/visits/v/intake",
		body: func(_ *office, w string, n int) m {
			return m{"list": "past", "title": w, "detail": fmt.Sprint("told ", n), "severity": "", "since": "2019", "until": ""}
		}},
	"set-reason": {who: act.Assistant, method: "POST", path: "/api/visits/v/reason", read: "/api/visits/v/intake",
		body: func(o *office, w string, n int) m {
			return m{"reason": w, "kind": "Acute visit", "room": fmt.Sprint(n), "version": o.visitVersion()}
		},
		want: func(_ *office, w string, n int) []string { return []string{w, fmt.Sprint(n)} }},
	"move-visit": {who: act.Assistant, method: "PUT", path: "/api/visits/v/stage", read: "/api/visits/v/intake",
		body: func(o *office, w string, n int) m {
			return m{"stage": []string{"arrived", "intake", "ready"}[n%3], "version": o.visitVersion()}
		},
		want: func(_ *office, w string, n int) []string {
			return []string{"stage=" + []string{"arrived", "intake", "ready"}[n%3]}
		}},
	"take-vitals": {who: act.Assistant, method: "POST", path: "/api/visits/v/vitals", read: "/api/visits/v/intake",
		body: func(_ *office, w string, n int) m {
			return m{"confirmed": true, "entries": []m{{"loinc": "8867-4", "text": []string{fmt.Sprint(60 + n), w}[n%2]}}}
		}, want: func(_ *office, w string, n int) []string { return []string{[]string{fmt.Sprint(60 + n), w}[n%2]} }},
	"enter-test": {who: act.Assistant, method: "POST", path: "/api/visits/v/tests", read: "/api/visits/v/intake",
		body: func(_ *office, w string, n int) m {
			return m{"id": fmt.Sprint("t", n), "test": "STREP", "values": m{"STREP": []string{"positive", w}[n%2]}, "control": "valid", "kit": m{"lot": w, "expires": "2026-12-31"}}
		}, want: func(_ *office, w string, n int) []string { return []string{"Rapid strep A antigen positive."} }},
	"give-vaccine": {who: act.Assistant, method: "POST", path: "/api/visits/v/vaccines", read: "/api/visits/v/intake",
		body: func(_ *office, w string, n int) m {
			return m{"id": fmt.Sprint("v", n), "confirmed": true, "given": m{"cvx": "115", "maker": w, "lot": "T" + fmt.Sprint(n), "expires": "2027-06-30", "dose": "0.5 mL",
				"route": "intramuscular", "site": "left deltoid", "sheet": "2025-01-31"}}
		}},
	"state-lists": {who: act.Assistant, method: "POST", path: "/api/visits/v/statements", read: "/api/visits/v/intake",
		body: func(_ *office, w string, n int) m {
			return m{"lists": []string{"allergies"}, "says": []string{"none known", w}[n%2]}
		},
		want: func(_ *office, w string, n int) []string { return []string{"A medical assistant"} }},
	"add-problem": {who: act.Physician, method: "POST", path: "/api/patients/p/problems", read: "/api/patients/p",
		body: func(_ *office, w string, n int) m { return m{"code": []string{"I10", "E11.9", w}[n%3]} },
		want: func(_ *office, w string, n int) []string { return []string{[]string{"I10", "E11.9", w}[n%3]} }},
	"describe-problem": {who: act.Physician, method: "PUT", path: "/api/patients/p/problems/I10", read: "/api/patients/p",
		before: func(t *testing.T, o *office) {
			o.raw(act.Physician, "POST", "/api/patients/p/problems", `{"code":"I10"}`)
		},
		body: func(_ *office, w string, n int) m {
			return m{"onset": []string{fmt.Sprint(2000 + n), w}[n%2], "state": "active"}
		},
		want: func(_ *office, w string, n int) []string { return []string{[]string{fmt.Sprint(2000 + n), w}[n%2]} }},
	"set-usual-clinician": {who: act.FrontDesk, method: "PUT", path: "/api/patients/p/usual", read: "/api/patients/p",
		body: func(_ *office, w string, n int) m { return m{"staff": []string{act.Physician, "second", w}[n%3]} },
		want: func(_ *office, w string, n int) []string {
			return []string{"usual=A " + []string{act.Physician, "second", w}[n%3]}
		}},
	"set-team": {who: act.Admin, method: "POST", path: "/api/circle/teams", read: "/api/circle",
		body: func(_ *office, w string, n int) m { return m{"id": "", "name": w, "members": []string{act.Physician}} }},
	"set-chart-width": {who: act.Admin, method: "PUT", path: "/api/circle/width", read: "/api/circle",
		body: func(_ *office, w string, n int) m { return m{"width": []string{"own", "practice", w}[n%3]} },
		want: func(_ *office, w string, n int) []string {
			return []string{"width=" + []string{"own", "practice", w}[n%3]}
		}},
	"set-chart-reviewer": {who: act.Admin, method: "PUT", path: "/api/circle/reviewer", read: "/api/circle",
		body: func(_ *office, w string, n int) m { return m{"staff": []string{act.Physician, "", w}[n%3]} },
		want: func(_ *office, w string, n int) []string {
			return []string{"reviewer=" + []string{act.Physician, "", w}[n%3]}
		}},
	"add-cover": {who: act.Admin, method: "POST", path: "/api/circle/covers", read: "/api/circle",
		body: func(_ *office, w string, n int) m {
			return m{"of": act.Physician, "by": []string{"second", w}[n%2], "from": "2026-05-04", "to": fmt.Sprintf("2026-05-%02d", 4+n)}
		}, want: func(_ *office, w string, n int) []string { return []string{fmt.Sprintf("2026-05-%02d", 4+n)} }},
	"pin": {who: act.Physician, method: "POST", path: "/api/pins", read: "/api/pins",
		body: func(_ *office, w string, n int) m { return m{"code": []string{"I10", w}[n%2]} },
		want: func(_ *office, w string, n int) []string { return []string{[]string{"I10", w}[n%2]} }},
	"add-word": {who: act.Physician, method: "POST", path: "/api/writing/words", read: "/api/writing",
		body: func(_ *office, w string, n int) m { return m{"word": w} }},
	"set-single-keys": {who: act.Physician, method: "PUT", path: "/api/session/keys", read: "/api/session",
		body: func(_ *office, w string, n int) m { return m{"on": n%2 == 1} },
		want: func(_ *office, w string, n int) []string { return []string{fmt.Sprint("singleKeys=", n%2 == 1)} }},
	"prepare-order": {who: act.Assistant, method: "POST", path: "/api/patients/p/orders/prepared", read: "/api/patients/p",
		body: func(_ *office, w string, n int) m {
			return m{"visitId": "v", "priority": "R", "drawing": "now", "requestId": fmt.Sprint("r", n), "tests": []m{{"code": []string{"K", w}[n%2], "diagnoses": []string{"M10.071"}}}}
		}, want: func(_ *office, w string, n int) []string { return []string{[]string{"Potassium", w}[n%2]} }},
	"place-order": {who: act.Physician, method: "POST", path: "/api/patients/p/orders", read: "/api/patients/p/timeline",
		body: func(_ *office, w string, n int) m {
			return m{"visitId": "v", "priority": "R", "drawing": "now", "requestId": fmt.Sprint("r", n), "secret": "kittiwake",
				"tests": []m{{"code": []string{"K", w}[n%2], "diagnoses": []string{"M10.071"}}}}
		}, want: func(_ *office, w string, n int) []string { return []string{[]string{"Potassium", w}[n%2]} }},
	"return-prepared": {who: act.Physician, method: "POST", path: "/api/prepared/prepared/return", read: "/api/patients/p",
		before: func(t *testing.T, o *office) {
			require.NoError(t, o.app.Store.Write(context.Background(), func(q *store.Q) error {
				_, err := q.AddPrepared(store.Prepared{ID: "prepared", PatientID: "p", VisitID: "v", ForID: act.Physician, ByID: act.Assistant, At: o.app.Clock(),
					Priority: "R", State: orderCore.ToSign, RequestID: "r1", Tests: []orderCore.Line{{Test: "K", Diagnoses: []string{"I10"}}}})
				if err != nil {
					return err
				}
				return q.OpenLine("l", line.ToSign, "prepared", "p", act.Physician, line.Open, o.app.Clock())
			}))
		},
		body: func(_ *office, w string, n int) m { return m{"reason": "Which one? <K> & Na"} }, want: func(*office, string, int) []string { return []string{"Which one? <K> & Na"} }},
	"open-chart": {who: "second", method: "POST", path: "/api/patients/p/open", read: "/api/patients/p",
		before: func(t *testing.T, o *office) {
			for _, team := range []m{{"id": "", "name": "a", "members": []string{act.Physician}}, {"id": "", "name": "b", "members": []string{"second"}}} {
				require.Equal(t, http.StatusOK, o.raw(act.Admin, "POST", "/api/circle/teams", jsonOf(team)).Code)
			}
		},
		body: func(_ *office, w string, n int) m { return m{"reason": "She asks, \"why?\" & <now> 🦉"} },
		want: func(*office, string, int) []string { return []string{"She asks, \"why?\" & <now> 🦉"} }},
	"review-opening": {who: act.Physician, method: "POST", path: "/api/openings/o/review", read: "/api/openings/o",
		before: func(t *testing.T, o *office) {
			require.NoError(t, o.app.Store.Write(context.Background(), func(q *store.Q) error {
				p, err := q.PatientByID("p")
				if err != nil {
					return err
				}
				return q.AddOpening(store.Opening{ID: "o", Patient: p, StaffID: "second", At: o.app.Clock(), Until: o.app.Clock(), Reason: "At the door."})
			}))
		},
		body: func(_ *office, w string, n int) m {
			return m{"verdict": "to be followed up", "remark": "I ask her, Łódź"}
		},
		want: func(*office, string, int) []string { return []string{"I ask her, Łódź"} }},
	"save-form": {who: act.Physician, method: "POST", path: "/api/forms", read: "/api/forms",
		body: func(_ *office, w string, n int) m {
			return m{"kind": "snippets", "id": "mine", "owner": "me", "base": n - 1, "body": "version: 1\nsnippets:\n- {key: s" + fmt.Sprint(n) + ", title: One, text: " + jsonOf(w) + "}\n"}
		}, want: func(*office, string, int) []string { return []string{"mine"} }},
}

func (o *office) planParts() (out []string) {
	var v struct{ Parts []struct{ Key string } }
	_ = json.Unmarshal(o.raw(act.Physician, "GET", o.at("/api/notes/{note}/sets/present"), "").Body.Bytes(), &v)
	for _, p := range v.Parts {
		out = append(out, p.Key)
	}
	return out
}

func (o *office) visitVersion() int {
	var v struct{ Visit struct{ Version int } }
	_ = json.Unmarshal(o.raw(act.Assistant, "GET", "/api/visits/v/intake", "").Body.Bytes(), &v)
	return v.Visit.Version
}

// readElsewhere are the writing operations that are not in the table, with where what they keep is read back.
var readElsewhere = map[string]string{
	"settle-reminder": "app/reminder_test.go", "take-back-reminder": "app/reminder_test.go", "answer-question": "app/reminder_test.go", "answer-questionnaire": "app/reminder_test.go", "close-harm": "app/reminder_test.go", "set-rule": "app/rulebook_test.go", "set-edition": "app/rulebook_test.go", "take-rule-in": "app/rulebook_test.go", "run-practice": "app/rulebook_test.go", "beforehand": "app/beforehand_test.go", "recall": "app/recall_test.go", "settle-registry": "app/registry_test.go", "close-reminded": "app/recall_test.go",
	"find": "asks", "pad": "asks", "coverage": "asks", "advance-notice": "asks", "repeated": "asks", "read-line": "asks", "search-findings": "asks", "form-entries": "asks", "try-form": "asks", "copy-entry": "asks", "beside": "asks", "preview-forward": "asks",
	"find-medicine": "asks", "told-of-medicine": "app/intake_test.go", "register-patient": "app/registration_test.go", "change-registration": "app/registration_test.go",
	"add-card": "app/registration_test.go", "walk-in": "app/registration_test.go", "find-alike": "asks", "tolerated": "app/intake_test.go", "sign-in": "session", "sign-out": "session", "lock": "session", "unlock": "session", "end-own-session": "session", "change-own-secrets": "session",
	"writing":   "is forgotten after 25 seconds",
	"drop-team": "app/circle_test.go", "end-cover": "app/circle_test.go", "take-apart": "app/house_test.go", "merge-records": "app/house_test.go",
	"sign-note": "app/note_test.go", "start-visit": "newOffice", "settle-conflict": "app/note_test.go", "forward": "app/writing_test.go", "bring": "app/writing_test.go",
	"looked": "app/writing_test.go", "answer-advice": "app/assessment_test.go", "set-charges": "app/charges_test.go", "apply-set": "app/sets_test.go",
	"absence-letter": "app/assessment_test.go", "sign-letter": "app/letters_test.go", "give-leaflet": "app/letters_test.go", "message-patient": "app/letters_test.go",
	"send-fax": "app/writing_test.go", "settle-sent": "app/letters_test.go", "drop-follow-up": "app/assessment_test.go", "book": "app/assessment_test.go", "cancel-order": "app/result_test.go",
	"end-problem": "app/day_test.go", "drop-prepared": "app/house_test.go", "sign-prepared": "app/house_test.go", "settle-packet": "app/packet_test.go", "set-each-report": "app/packet_test.go", "take-critical": "app/critical_test.go", "tell-critical": "app/critical_test.go", "set-urgency": "app/critical_test.go", "answer-hand-over": "app/packet_test.go", "tell-patient": "app/packet_test.go", "print": "app/printing_test.go", "hold-back": "app/release_test.go", "release": "app/release_test.go", "hold-on": "app/release_test.go", "give-back": "app/kinds_test.go", "call-in": "app/answering_test.go", "receive-record": "app/record_test.go", "agree-to-share": "app/sharing_test.go", "ask-exchange": "app/sharing_test.go", "confirm-link": "app/sharing_test.go", "end-link": "app/sharing_test.go", "fetch-shared": "app/sharing_test.go", "take-shared": "app/sharing_test.go", "give-chart-out": "app/sharing_test.go", "hold-back-from-others": "app/held_test.go", "settle-exchange": "app/sharing_test.go", "give-fhir-token": "app/fhir_test.go", "end-fhir-token": "app/fhir_test.go", "confirm-source": "app/record_test.go", "decide-entry": "app/record_test.go", "settle-certain": "app/record_test.go", "leave-rest": "app/record_test.go", "hand-record-on": "app/record_test.go", "sign-record": "app/record_test.go", "edition-told": "app/rulebook_test.go", "ask-back-of": "app/answering_test.go", "tell-called": "app/answering_test.go", "join-called": "app/answering_test.go", "end-called": "app/answering_test.go", "read-copy": "app/answering_test.go", "add-to-review": "app/answering_test.go", "set-standing": "app/answering_test.go", "take-over": "app/answering_test.go", "told-at-desk": "app/answering_test.go", "reading-level": "asks", "narrow-desk": "asks",
	"detach-report": "app/strangers_test.go", "attach": "app/result_test.go", "set-aside": "app/result_test.go", "take-up": "app/result_test.go",
	"decide": "app/intake_test.go", "fetch-elsewhere": "app/intake_test.go", "end-entry": "app/intake_test.go", "strike-vaccine": "app/house_test.go",
	"drawn": "app/pad_test.go", "not-drawn": "app/pad_test.go", "picked-up": "app/pad_test.go", "asked-after": "app/pad_test.go", "ask-laboratory": "app/pad_test.go", "send-order-again": "app/pad_test.go",
	"read-prescription": "asks", "concerns": "asks", "orders": "asks", "take-order": "app/telephone_test.go", "own-telephone-order": "app/telephone_test.go", "disown-telephone-order": "app/telephone_test.go", "redress-telephone-order": "app/telephone_test.go", "prescribe": "app/prescribe_test.go", "prepare-prescription": "app/prescribe_test.go", "sign-prescription": "app/prescribe_test.go", "tell-of-prescription": "app/prescribe_test.go",
	"cancel-prescription": "app/prescribe_test.go", "return-prescription": "app/prescribe_test.go", "drop-prescription": "app/prescribe_test.go", "stop-medicine": "app/prescribe_test.go",
	"take-message": "app/prescribe_test.go", "answer-inquiry": "app/prescribe_test.go", "attach-inquiry": "app/prescribe_test.go", "begin-factor": "app/factor_test.go", "confirm-factor": "app/factor_test.go",
	"drop-factor": "app/factor_test.go",
	"enter-paper": "app/paper_test.go", "set-laboratory": "app/connection_test.go", "try-laboratory": "asks", "confirm-npi": "app/connection_test.go",
	"keep-entry": "app/referral_test.go", "refer": "app/referral_test.go", "prepare-referral": "app/referral_test.go", "sign-referral": "app/referral_test.go", "read-report": "app/referral_test.go",
	"tell-of-referral": "app/referral_test.go", "answer-referral": "app/referral_test.go", "cancel-referral": "app/referral_test.go", "return-referral": "app/referral_test.go",
	"drop-referral": "app/referral_test.go",
	"strike-vital":  "app/intake_test.go", "read-device": "app/intake_test.go", "add-answer": "app/writing_test.go",
}

// strung lists what an answer says: its texts, and its values with their names.
func strung(v any, name string, out *[]string) {
	switch x := v.(type) {
	case map[string]any:
		for k, y := range x {
			strung(y, k, out)
		}
	case []any:
		for _, y := range x {
			strung(y, name, out)
		}
	default:
		*out = append(*out, fmt.Sprint(x), fmt.Sprint(name, "=", x))
	}
}

// same is a text without what blanks make of it: an operation may tidy those, and put letters together.
func same(s string) string { return strings.Join(strings.Fields(chart.Tidy(s)), " ") }

// TestWhatIsPostedIsReadBack posts odd words to every writing operation: either what was sent is read again as it
// was sent, or the operation is refused and nothing at all is changed.
func TestWhatIsPostedIsReadBack(t *testing.T) {
	raw, err := Description()
	require.NoError(t, err)
	var d described
	require.NoError(t, json.Unmarshal(raw, &d))
	for op, where := range readElsewhere {
		if strings.HasSuffix(where, ".go") {
			_, err := os.Stat("../" + where)
			require.NoError(t, err, op)
		}
	}
	for path, methods := range d.Paths {
		for method, op := range methods {
			_, told := readBack[op.OperationID]
			if method != "get" && !told {
				require.Contains(t, readElsewhere, op.OperationID, "%s %s writes, and nobody reads it back", method, path)
			}
		}
	}
	shared := newOffice(t)
	for _, name := range slices.Sorted(maps.Keys(readBack)) {
		x := readBack[name]
		t.Run(name, func(t *testing.T) {
			o := shared
			if x.before != nil {
				o = newOffice(t)
				x.before(t, o)
			}
			o.raw(x.who, "GET", "/api/notes/"+o.note, "") // a look leaves a row of its own, once
			taken, refusal := 0, ""
			for n, w := range oddWords {
				before := o.app.Store.Trail()
				got := o.raw(x.who, x.method, o.at(x.path), jsonOf(x.body(o, w, n+1)))
				if got.Code/100 != 2 {
					require.Equal(t, 4, got.Code/100, got.Body.String())
					refusal = got.Body.String()
					require.Equal(t, before, o.app.Store.Trail(), "%q was refused, and something changed: %s", w, got.Body.String())
					continue
				}
				taken++
				want := []string{w}
				if x.want != nil {
					want = x.want(o, w, n+1)
				}
				who := x.who
				if strings.HasPrefix(x.read, "/api/patients/p") && who == act.FrontDesk {
					who = act.Physician
				}
				var v any
				answer := o.raw(who, "GET", o.at(x.read), "")
				require.NoError(t, json.Unmarshal(answer.Body.Bytes(), &v), answer.Body.String())
				var said []string
				strung(v, "", &said)
				for _, s := range want {
					assert.True(t, slices.ContainsFunc(said, func(y string) bool { return strings.Contains(same(y), same(s)) }), "%q was taken and is not read back: %.600s", s,
						answer.Body.String())
				}
				if x.after != nil {
					x.after(o)
				}
			}
			require.Positive(t, taken, "nothing was taken at all: %s", refusal)
		})
	}
}
