package app_test

import (
	"context"
	"database/sql"
	"encoding/base64"
	"fmt"
	"net"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/argon2"

	"deftledger/app"
	"deftledger/app/act"
	"deftledger/app/desk"
	orders "deftledger/app/order"
	"deftledger/app/paper"
	results "deftledger/app/result"
	visits "deftledger/app/visit"
	"deftledger/core/chart"
	"deftledger/core/coding"
	"deftledger/core/line"
	"deftledger/core/order"
	"deftledger/core/visit"
	"deftledger/data"
	"deftledger/exchange/mllp"
	"deftledger/exchange/shipped"
	"deftledger/store"
	"deftledger/store/storetest"
)

var catalogue = sync.OnceValues(func() (*coding.Library, *coding.Index) {
	c, err := shipped.Edition()
	if err != nil {
		panic(err)
	}
	return coding.NewLibrary(c), coding.NewIndex(c, data.Everyday, data.Patients)
})

const (
	password = "a-long-password"
	secret   = "sealing"
)

// clinic is a small practice with one of each role, one patient and one visit.
type clinic struct {
	*testing.T
	app    *app.App
	config act.Config
	dir    string
	home   string
	store  *store.Store
	who    map[string]act.Actor
	now    time.Time
	lab    *lab
	looks  *sql.DB
}

// lab is a laboratory that answers what it is told to, and keeps what it got.
type lab struct {
	sync.Mutex
	ln     net.Listener
	got    [][]byte
	answer func(message string) string
}

func (l *lab) open(t testing.TB, addr string) {
	ln, err := net.Listen("tcp", addr)
	require.NoError(t, err)
	l.ln = ln
	go func() {
		s := mllp.Server{Limit: 1 << 20, Handle: func(_ string, m []byte) []byte {
			l.Lock()
			defer l.Unlock()
			l.got = append(l.got, m)
			return []byte(l.answer(string(m)))
		}}
		_ = s.Serve(ln)
	}()
}

func accept(code, text string) func(string) string {
	return func(m string) string {
		control := strings.Split(m, "|")[9]
		return "MSH|^~\\&|LIS|B|||20261123||ACK|A" + control + "|P|2.5.1\rMSA|" + code + "|" + control + "|" + text + "\r"
	}
}

// reference is what ships, read once.
var reference = sync.OnceValue(func() shipped.Reference {
	r, err := shipped.Read()
	if err != nil {
		panic(err)
	}
	return r
})

const patientID, visitID = "p1", "v1"

func open(t *testing.T) *clinic {
	t.Helper()
	c := &clinic{T: t, dir: t.TempDir(), home: t.TempDir(), who: map[string]act.Actor{}, now: time.Date(2026, 5, 4, 14, 0, 0, 0, time.UTC),
		lab: &lab{answer: accept("AA", "")}}
	ctx := context.Background()
	c.store = storetest.Open(t, c.dir)
	keys, err := act.OpenKeys(c.home, "practice", true)
	require.NoError(t, err)
	r := reference()
	c.lab.open(t, "127.0.0.1:0")
	t.Cleanup(func() { c.lab.ln.Close() })
	zone, err := time.LoadLocation("America/New_York")
	require.NoError(t, err)
	c.config = act.Config{Store: c.store, Keys: keys, Laboratories: r.Laboratories, Intervals: r.Intervals, Orderables: r.Orderables, Medicare: r.Medicare, Notice: r.Notice, LabAddr: c.lab.ln.Addr().String(), Facility: "SKERROW",
		Practice: "Skerrow Island Family Practice", Location: zone, IdleAfter: 10 * time.Minute, FormFiles: data.Forms, Medicines: r.Medicines, Analytes: r.Analytes, Bearing: r.Bearing, Limits: r.Limits, Nicknames: r.Nicknames,
		House: act.House{Tests: r.HouseTests, Vaccines: r.Vaccines}, Services: r.Services, Rules: r.RuleSource, Screens: r.Screens, MailRule: r.MailRule, Sensitive: r.Sensitive,
		Clock: func() time.Time { c.now = c.now.Add(time.Millisecond); return c.now },
		Codes: func() (*coding.Library, *coding.Index, error) { a, b := catalogue(); return a, b, nil }}
	c.app = app.New(c.config)
	passwordHash, secretHash := cheap(password), cheap(secret)
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		for _, role := range []string{act.Physician, act.Practitioner, act.Associate, act.Nurse, act.Assistant, act.FrontDesk, act.Admin, "second"} {
			s := store.Staff{ID: "id-of-" + strings.ReplaceAll(role, " ", "-"), Login: strings.ReplaceAll(role, " ", ""), Given: "A", Family: role,
				Role: role, PasswordHash: passwordHash, SecretHash: secretHash, DraftKey: []byte("k"), SingleKeys: true, Active: true}
			if role == "second" {
				s.Role = act.Physician
			}
			if err := q.AddStaff(s); err != nil {
				return err
			}
			c.who[role] = act.Actor{ID: s.ID, Name: s.Name(), Role: s.Role}
		}
		if err := q.AddPatient(chart.Patient{ID: patientID, Record: "SK-1", Name: chart.Name{Family: "Marsh-Adeyemi", Given: "Ottoline"},
			BirthDate: "1968-03-14", Sex: "F", Phone: "555-0118", UsesPortal: true}); err != nil {
			return err
		}
		return q.AddVisit(visit.Visit{ID: visitID, PatientID: patientID, ClinicianID: c.who[act.Physician].ID, Day: "2026-05-04", StartsAt: c.now,
			Kind: "Acute visit", Reason: "Toe pain", Stage: "ready", StageAt: c.now})
	}))
	return c
}

// cheap hashes a secret with so little work that tests need not wait for it.
func cheap(secret string) string {
	salt := []byte("salt of the test")
	b := base64.RawStdEncoding
	return fmt.Sprintf("$argon2id$v=%d$m=8,t=1,p=1$%s$%s", argon2.Version, b.EncodeToString(salt),
		b.EncodeToString(argon2.IDKey([]byte(secret), salt, 1, 8, 1, 32)))
}

func (c *clinic) doctor() act.Actor { return c.who[act.Physician] }

// order places an order for tests and returns it.
func (c *clinic) order(tests ...string) orders.OrderView {
	c.Helper()
	n := orders.NewOrder{PatientID: patientID, VisitID: visitID, RequestID: fmt.Sprint("r", c.now.UnixNano()),
		Secret: secret, Pad: order.Pad{Priority: "R", Drawing: order.DrawnNow}}
	for _, t := range tests {
		n.Lines = append(n.Lines, order.Line{Test: t, Diagnoses: []string{"M10.071"}})
	}
	o, err := c.app.Order.PlaceOrder(context.Background(), c.doctor(), n)
	require.NoError(c, err)
	return o[0]
}

func (c *clinic) step() {
	c.Helper()
	require.NoError(c, c.app.Step(context.Background()))
}

// oru writes a result for the potassium of an order; change replaces pairs in it.
func oru(control, placer, status, value string, change ...string) string {
	text := "MSH|^~\\&|LIS|BRINEHOUSE|DEFTLEDGER|SKERROW|20260504120000-0400||ORU^R01^ORU_R01|" + control + "|P|2.5.1||||||UNICODE UTF-8\r" +
		"PID|1||||Marsh-Adeyemi^Ottoline||19680314|F\r" +
		"OBR|1|" + placer + "|BR-" + placer + "|K^Potassium^L^2823-3^^LN|||202605040800-0400|||||||||||||||20260504115500-0400|||" +
		status + "\r" +
		"OBX|1|NM|K^Potassium^L^2823-3^^LN||" + value + "|mmol/L|3.5-5.1||||" + status + "\r"
	return strings.NewReplacer(change...).Replace(text)
}

// receive delivers a message, expects an acknowledgement code, and files it.
func (c *clinic) receive(text, code string) {
	c.Helper()
	require.Contains(c, string(c.app.Result.Receive("test", []byte(text))), "MSA|"+code+"|")
	c.step()
}

func (c *clinic) count(query string, args ...any) (n int) {
	c.Helper()
	require.NoError(c, c.beside().QueryRow(query, args...).Scan(&n))
	return n
}

// lines is everything on somebody's desk, each as its page shows it.
type lines struct {
	Count      int
	Rows       []*act.LineRow
	Reports    []results.ReportView
	Notes      []*act.LineRow
	Orders     []orders.Opened
	ToSign     []orders.OpenedPrepared
	FollowUps  []visits.FollowUpView
	Sent       []paper.OpenedSent
	Quarantine []results.HeldDetail
}

func (c *clinic) desk() lines { return c.deskOf(c.doctor()) }

func (c *clinic) deskOf(who act.Actor) (out lines) {
	c.Helper()
	ctx := context.Background()
	for _, list := range desk.Lists {
		for after, more := "", true; more; {
			d, err := c.app.Desk.MyDesk(ctx, who, desk.DeskSought{List: list, After: after, Each: true})
			require.NoError(c, err)
			out.Rows = append(out.Rows, d.Rows...)
			after, more = d.Next, d.Next != ""
		}
	}
	var err error
	out.Count, err = c.app.Desk.Count(ctx, who)
	require.NoError(c, err)
	require.Len(c, out.Rows, out.Count, "the count is true")
	for _, r := range out.Rows {
		switch r.Kind {
		case line.Report:
			v, err := c.app.Result.Report(ctx, who, r.ID)
			require.NoError(c, err)
			out.Reports = append(out.Reports, v)
		case line.Note:
			out.Notes = append(out.Notes, r)
		case line.Order:
			v, err := c.app.Order.Order(ctx, who, r.ID)
			require.NoError(c, err)
			out.Orders = append(out.Orders, v)
		case line.ToSign:
			v, err := c.app.Order.PreparedOrder(ctx, who, r.ID)
			require.NoError(c, err)
			out.ToSign = append(out.ToSign, v)
		case line.FollowUp:
			out.FollowUps = append(out.FollowUps, visits.FollowUpView{ID: r.ID})
		case line.Message, line.Fax:
			v, err := c.app.Paper.SentOne(ctx, who, string(r.Kind), r.ID)
			require.NoError(c, err)
			out.Sent = append(out.Sent, v)
		case line.Held:
			v, err := c.app.Result.Held(ctx, who, r.ID)
			require.NoError(c, err)
			out.Quarantine = append(out.Quarantine, v)
		}
	}
	return out
}

func (c *clinic) verify() string {
	c.Helper()
	keys, err := act.OpenKeys(c.home, "practice", false)
	require.NoError(c, err)
	f, err := act.Verify(context.Background(), c.store, keys, act.Verification{})
	require.NoError(c, err)
	return f.Wrong
}

// raw opens the database file past the application, as a tamperer would.
func (c *clinic) raw(statements ...string) {
	c.Helper()
	for _, s := range statements {
		_, err := past(c, c.dir).Exec(s)
		require.NoError(c, err)
	}
}

// beside is a connection for looking at the database file: opening one reads the whole schema, which takes longer than most questions.
func (c *clinic) beside() *sql.DB {
	c.Helper()
	if c.looks == nil {
		c.looks = past(c, c.dir)
	}
	return c.looks
}

// closes closes the data, with what looked at them, so that the file holds all of it.
func (c *clinic) closes() error {
	c.Helper()
	if c.looks != nil {
		require.NoError(c, c.looks.Close())
		c.looks = nil
	}
	return c.store.Close()
}

// past opens the database file past the application.
func past(t testing.TB, dir string) *sql.DB {
	t.Helper()
	db, err := sql.Open("sqlite", "file:"+filepath.Join(dir, store.File)+"?_pragma=busy_timeout(5000)")
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	return db
}

func kind(t testing.TB, err error) act.Kind {
	t.Helper()
	var r *act.Refusal
	require.ErrorAs(t, err, &r, "%v", err)
	return r.Kind
}

// later lets minutes pass.
func (c *clinic) later(minutes int) { c.now = c.now.Add(time.Duration(minutes) * time.Minute) }

// text reads one text from the data.
func (c *clinic) text(query string, args ...any) (s string) {
	c.Helper()
	require.NoError(c, c.beside().QueryRow(query, args...).Scan(&s), query)
	return s
}
