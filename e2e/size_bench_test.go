package e2e

import (
	"bufio"
	"database/sql"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/exchange/mllp"
)

// BenchmarkSize measures the program on a generated practice: DEFTLEDGER_BENCH_PATIENTS
// says how many people (1,000 unless told otherwise), DEFTLEDGER_BENCH_DATA names a
// directory that keeps the practice (data and keys in it) from one time to the next.
func BenchmarkSize(b *testing.B) {
	patients := os.Getenv("DEFTLEDGER_BENCH_PATIENTS")
	if patients == "" {
		patients = "1000"
	}
	dir := os.Getenv("DEFTLEDGER_BENCH_DATA")
	if dir == "" {
		dir = b.TempDir()
	}
	p := &program{dir: filepath.Join(dir, "data"), keys: filepath.Join(dir, "keys"), command: "serve", lab: freeAddr()}
	if _, err := os.Stat(p.dir); err != nil {
		start := time.Now()
		said, code := p.run(b, "", "generate", "--patients", patients, "--data", p.dir)
		require.Equal(b, 0, code, said)
		figure("generated in %s: %s", time.Since(start).Round(time.Second), strings.Split(said, "\n")[0])
	}
	require.NoError(b, p.start()) // brings the data up to date, if need be
	require.NoError(b, p.stop())
	start := time.Now()
	require.NoError(b, p.start())
	figure("%-46s %s, %s", "start to the first answer, resident memory", time.Since(start).Round(time.Millisecond), rss(b, p))
	defer p.kill()

	doctor, admin := signedIn(b, p, "physician1"), signedIn(b, p, "admin")
	few := func(query string) []string { return texts(b, p, query) }
	charts := few("SELECT patient_id FROM visit GROUP BY patient_id ORDER BY patient_id LIMIT 60")
	signed := few("SELECT id FROM note WHERE folio > 0 ORDER BY id DESC LIMIT 60")
	// Visits of its own each time, so that a practice can be kept.
	_, err := p.db(b).Exec(`INSERT INTO visit(id, patient_id, clinician_id, day, starts_at, kind, reason, stage, stage_at)
		SELECT 'bench-' || hex(randomblob(8)), p.id, s.id, (SELECT max(day) FROM visit), (SELECT max(starts_at) FROM visit), 'Follow-up visit', 'As planned', 'ready', ''
		FROM (SELECT id FROM patient ORDER BY id LIMIT 18) p, staff s WHERE s.login = 'physician1'`)
	require.NoError(b, err)
	today := few("SELECT v.id FROM visit v WHERE v.id LIKE 'bench-%' AND NOT EXISTS (SELECT 1 FROM note n WHERE n.visit_id = v.id)")
	require.NotEmpty(b, today)
	var drafts []string
	for _, v := range today {
		var out struct{ NoteID string }
		require.NoError(b, doctor.call(http.MethodPost, "/api/visits/"+v+"/start", nil, &out))
		drafts = append(drafts, out.NoteID)
	}
	ask := func(method, what string, c *client, n int, path func(i int) string, body any) {
		var times []time.Duration
		for i := range n {
			start := time.Now()
			require.NoError(b, c.call(method, path(i), body, nil))
			times = append(times, time.Since(start))
		}
		spread(b, what, times)
	}
	get := func(what string, c *client, n int, path func(i int) string) {
		ask(http.MethodGet, what, c, n, path, nil)
	}
	of := func(ids []string, before, after string) func(int) string {
		return func(i int) string { return before + ids[i%len(ids)] + after }
	}
	only := func(path string) func(int) string { return func(int) string { return path } }
	get("today", doctor, 100, only("/api/day"))
	get(fmt.Sprintf("the desk, first page of %d lines",
		p.count(b, "SELECT count(*) FROM line l JOIN staff s ON s.id = l.owner_id WHERE s.login = 'physician1' AND l.closed_at = ''")), doctor,
		100, only("/api/desk"))
	get("a chart", doctor, 120, of(charts, "/api/patients/", ""))
	get("what happened in a chart, first page", doctor, 120, of(charts, "/api/patients/", "/timeline"))
	if packets := few("SELECT DISTINCT l.patient_id FROM line l JOIN staff s ON s.id = l.owner_id WHERE s.login = 'physician1' AND l.kind = 'report' AND l.closed_at = '' LIMIT 60"); len(packets) > 0 {
		get("a packet", doctor, 120, of(packets, "/api/packets/", ""))
	}
	get("results of a patient over the years", doctor, 120, of(charts, "/api/patients/", "/results"))
	get("the loop of a year", doctor, 5, only("/api/practice/loop?days=365"))
	get("a signed note", doctor, 120, of(signed, "/api/notes/", ""))
	get("a draft", doctor, 120, of(drafts, "/api/notes/", ""))
	ask(http.MethodPost, "beside a draft, first page", doctor, 120, of(drafts, "/api/notes/", "/beside"),
		map[string]string{"words": "", "kind": "", "after": ""})
	ask(http.MethodPost, "a word in all that is beside a draft", doctor, 120, of(drafts, "/api/notes/", "/beside"),
		map[string]string{"words": "knee", "kind": "", "after": ""})
	get("closing list", doctor, 120, of(drafts, "/api/notes/", "/closing"))
	get("audit of one patient", admin, 120, of(charts, "/api/audit?patient=", ""))
	for _, query := range []string{"an", "zq", "19", "555-4", "brekk", "SK-1"} {
		var times []time.Duration
		for range 40 {
			start := time.Now()
			require.NoError(b, doctor.call(http.MethodPost, "/api/find", map[string]string{"query": query}, nil))
			times = append(times, time.Since(start))
		}
		spread(b, "finder, "+query, times)
	}
	var times []time.Duration
	for range 30 {
		start := time.Now()
		require.NoError(b, doctor.call(http.MethodPost, "/api/findings/search", map[string]string{"area": "review", "system": "respiratory",
			"finding": "cough"}, nil))
		times = append(times, time.Since(start))
	}
	spread(b, "a finding searched over the practice", times)

	overFHIR(b, p)
	allRules(b, p)
	signAll(b, doctor, drafts)
	crowd(b, p)
	saves(b, p, doctor)
	filing(b, p)

	require.NoError(b, p.stop())
	start = time.Now()
	said, ok := p.verify()
	// The visits that were put into the database for the measure are found, and nothing else.
	require.True(b, ok || strings.Contains(said, "visit bench-"), said)
	figure("%-46s %s: %s", "verify", time.Since(start).Round(10*time.Millisecond), strings.TrimSpace(said))
	require.NoError(b, p.start())
}

func texts(t testing.TB, p *program, query string, args ...any) (out []string) {
	t.Helper()
	rows, err := p.db(t).Query(query, args...)
	require.NoError(t, err)
	defer rows.Close()
	for rows.Next() {
		var s string
		require.NoError(t, rows.Scan(&s))
		out = append(out, s)
	}
	require.NoError(t, rows.Err())
	return out
}

// signAll writes and signs notes.
func signAll(b *testing.B, c *client, drafts []string) {
	var times []time.Duration
	for _, id := range drafts[:len(drafts)-4] {
		for _, part := range []string{"subjective", "objective", "assessment", "plan"} {
			require.NoError(b, c.call(http.MethodPut, "/api/notes/"+id+"/parts/"+part, map[string]any{"text": "As before.", "base": 0,
				"saveId": id + part}, nil))
		}
		require.NoError(b, c.call(http.MethodPut, "/api/notes/"+id+"/diagnoses", map[string]any{"codes": []string{"I10"}, "version": 1}, nil))
		start := time.Now()
		require.NoError(b, c.call(http.MethodPost, "/api/notes/"+id+"/sign",
			map[string]any{"secret": "kittiwake", "versions": map[string]int{"subjective": 1, "objective": 1, "assessment": 1, "plan": 1},
				"listVersion": 2}, nil))
		times = append(times, time.Since(start))
	}
	spread(b, "signing a note (the first with the secret)", times)
}

// crowd lets forty people work without pause for some seconds: they read charts, desks and
// notes, and save.
func crowd(b *testing.B, p *program) {
	logins := texts(b, p, "SELECT login FROM staff WHERE role IN ('physician', 'nurse', 'medical assistant')")
	charts := texts(b, p, "SELECT id FROM patient ORDER BY id DESC LIMIT 500")
	notes := texts(b, p, "SELECT id FROM note WHERE folio = 0 ORDER BY id DESC LIMIT 40")
	require.NotEmpty(b, notes)
	var wg sync.WaitGroup
	var requests, saved atomic.Int64
	var mu sync.Mutex
	var times []time.Duration
	clients := map[string]*client{}
	for _, l := range logins {
		clients[l] = signedIn(b, p, l)
	}
	until := time.Now().Add(10 * time.Second)
	for u := range 40 {
		c := clients[logins[u%len(logins)]]
		note := notes[u%len(notes)]
		wg.Go(func() {
			version := p.count(b, "SELECT coalesce(max(version), 0) FROM note_part WHERE note_id = ? AND part = 'remarks'", note)
			for i := 0; time.Now().Before(until); i++ {
				var err error
				switch i % 5 {
				case 0:
					start := time.Now()
					var s saved_
					err = c.call(http.MethodPut, "/api/notes/"+note+"/parts/remarks", map[string]any{"text": fmt.Sprint("Remark ", i), "base": version,
						"saveId": fmt.Sprintf("%s-%d-%d", note, u, i)}, &s)
					mu.Lock()
					times = append(times, time.Since(start))
					mu.Unlock()
					version = s.Version
					saved.Add(1)
				case 1:
					err = c.call(http.MethodGet, "/api/patients/"+charts[(u*31+i)%len(charts)], nil, nil)
				case 2:
					err = c.call(http.MethodGet, "/api/notes/"+note, nil, nil)
				case 3:
					err = c.call(http.MethodGet, "/api/desk", nil, nil)
				case 4:
					err = c.call(http.MethodGet, "/api/day", nil, nil)
				}
				if err != nil {
					b.Error(err)
					return
				}
				requests.Add(1)
			}
		})
	}
	wg.Wait()
	figure("%-46s %.0f requests a second", "forty people without pause", float64(requests.Load())/10)
	spread(b, "saving among them", times)
}

type saved_ struct{ Version int }

// saves compares the rate of saves with that of bare commits, with the same pragmas on the
// same disk in the same minute, and says how much a backup slows them.
func saves(b *testing.B, p *program, c *client) {
	note := texts(b, p, "SELECT id FROM note WHERE folio = 0 ORDER BY id LIMIT 1")[0]
	version := p.count(b, "SELECT coalesce(max(version), 0) FROM note_part WHERE note_id = ? AND part = 'remarks'", note)
	prose := strings.Repeat("Right big toe pain for two days, began overnight. ", 40)
	save := func(n int) float64 {
		start := time.Now()
		for range n {
			var s saved_
			require.NoError(b, c.call(http.MethodPut, "/api/notes/"+note+"/parts/remarks", map[string]any{"text": prose, "base": version,
				"saveId": fmt.Sprintf("rate-%s-%d", note, version)}, &s))
			version = s.Version
		}
		return float64(n) / time.Since(start).Seconds()
	}
	ours := save(600)
	db, err := sql.Open("sqlite", "file:"+filepath.Join(b.TempDir(), "bare.db")+"?_pragma=journal_mode(wal)&_pragma=synchronous(full)")
	require.NoError(b, err)
	defer db.Close()
	db.SetMaxOpenConns(1)
	_, err = db.Exec("CREATE TABLE t (id INTEGER PRIMARY KEY, text TEXT)")
	require.NoError(b, err)
	start := time.Now()
	for range 600 {
		_, err := db.Exec("INSERT INTO t(text) VALUES (?)", prose)
		require.NoError(b, err)
	}
	bare := 600 / time.Since(start).Seconds()
	figure("%-46s %.0f a second, %.2f of %.0f bare commits", "saves of 2,000 characters, one person, HTTP", ours, ours/bare, bare)
	figure("%-46s %.0f a second", "the same, four persons at a time",
		together(b, c, prose, texts(b, p, "SELECT id FROM note WHERE folio = 0 ORDER BY id DESC LIMIT 4"), p))
	before := save(600)
	done := make(chan time.Duration, 1)
	go func() {
		start := time.Now()
		cmd := exec.Command(binary, "backup", "--data", p.dir, filepath.Join(b.TempDir(), "backup.db"))
		cmd.Env = append(os.Environ(), "DEFTLEDGER_KEYS="+p.keys)
		if out, err := cmd.CombinedOutput(); err != nil {
			b.Errorf("backup: %s", out)
		}
		done <- time.Since(start)
	}()
	n, began := 0, time.Now()
	var took time.Duration
	for took == 0 {
		save(50)
		n += 50
		select {
		case took = <-done:
		default:
		}
	}
	rate := float64(n) / time.Since(began).Seconds()
	figure("%-46s %s; saves meanwhile %.0f a second, %.0f before and %.0f after", "backup", took.Round(10*time.Millisecond), rate, before, save(600))
}

// together is the rate of saves of several people, each in a note of their own.
func together(b *testing.B, c *client, prose string, notes []string, p *program) float64 {
	const each = 400
	start := time.Now()
	var wg sync.WaitGroup
	for _, note := range notes {
		version := p.count(b, "SELECT coalesce(max(version), 0) FROM note_part WHERE note_id = ? AND part = 'function'", note)
		wg.Go(func() {
			for range each {
				var s saved_
				if err := c.call(http.MethodPut, "/api/notes/"+note+"/parts/function", map[string]any{"text": prose, "base": version,
					"saveId": fmt.Sprintf("together-%s-%d", note, version)}, &s); err != nil {
					b.Error(err)
					return
				}
				version = s.Version
			}
		})
	}
	wg.Wait()
	return float64(len(notes)*each) / time.Since(start).Seconds()
}

// filing sends results that match orders, of eight values each.
func filing(b *testing.B, p *program) {
	type open struct{ placer, family, given, born, sex string }
	var orders []open
	rows, err := p.db(b).Query("SELECT o.placer, p.family, p.given, p.birth_date, p.sex FROM lab_order o JOIN patient p ON p.id = o.patient_id WHERE o.state <> 'cancelled' ORDER BY o.signed_at DESC LIMIT 2000")
	require.NoError(b, err)
	for rows.Next() {
		var o open
		require.NoError(b, rows.Scan(&o.placer, &o.family, &o.given, &o.born, &o.sex))
		orders = append(orders, o)
	}
	rows.Close()
	conn, err := net.Dial("tcp", p.mllp)
	require.NoError(b, err)
	defer conn.Close()
	r := bufio.NewReader(conn)
	run := fmt.Sprint(time.Now().Unix())
	start := time.Now()
	for n, o := range orders {
		message := fmt.Sprintf("MSH|^~\\&|LIS|BRINEHOUSE|DEFTLEDGER|SKERROW|20261123120000-0500||ORU^R01^ORU_R01|S%s%06d|P|2.5.1||||||UNICODE UTF-8\rPID|1||||%s^%s||%s|%s\rOBR|1|%s|S%s%06d|BMP^Basic metabolic panel^L^24321-2^^LN|||202611230800-0500|||||||||||||||20261123115500-0500|||F\r",
			run, n, o.family, o.given, strings.ReplaceAll(o.born, "-", ""), o.sex, o.placer, run, n)
		for k, a := range []string{"GLU^Glucose^L^2345-7^^LN", "NA^Sodium^L^2951-2^^LN", "K^Potassium^L^2823-3^^LN", "CL^Chloride^L^2075-0^^LN",
			"CO2^Carbon dioxide^L^2028-9^^LN", "BUN^Urea nitrogen^L^3094-0^^LN", "CREA^Creatinine^L^2160-0^^LN", "CA^Calcium^L^17861-6^^LN"} {
			message += fmt.Sprintf("OBX|%d|NM|%s||9.4|mg/dL|1-20||||F\r", k+1, a)
		}
		require.NoError(b, mllp.Write(conn, []byte(message)))
		answer, err := mllp.Read(r, 1<<20)
		require.NoError(b, err)
		require.Contains(b, string(answer), "MSA|AA|")
	}
	for p.count(b, "SELECT count(*) FROM inbox WHERE state = 'stored'") > 0 {
		time.Sleep(5 * time.Millisecond)
	}
	took := time.Since(start)
	filed := p.count(b, "SELECT count(*) FROM report WHERE filler LIKE ?", "S"+run+"%")
	require.Equal(b, len(orders), filed)
	figure("%-46s %.0f a second filed (one connection, %d results)", "matched results of eight values through MLLP",
		float64(filed)/took.Seconds(), filed)
}
