package act

import (
	"deftledger/core/line"
	"deftledger/store"
)

// LineRow is one open line as every list shows it: a desk, or the margin of a chart.
type LineRow struct {
	Line    string       `json:"line" doc:"Identifier of the line itself"`
	Kind    line.Kind    `json:"kind" enum:"report,held,critical by telephone,copied to us,record from elsewhere,handed over,to tell,note,order,to sign,referral,prescription,repeat request,order by telephone,thoughts of self-harm,message to us,to the registry,to the exchange,reminder by mail,follow-up,from outside,message,fax,held back,opened chart"`
	ID      string       `json:"id" doc:"What it is about"`
	Patient *PatientView `json:"patient,omitempty" doc:"Left out where nobody knows for certain whose it is"`
	Owner   string       `json:"owner" doc:"Who answers for it"`
	Title   string       `json:"title" doc:"What it is, and where it stands"`
	Mark    string       `json:"mark" doc:"A word that matters about it, such as refused; empty for none"`
	Grave   bool         `json:"grave" doc:"The mark is of something that went wrong"`
	Flags   *LineFlags   `json:"flags,omitempty" doc:"Of a result"`
	VisitID string       `json:"visitId" doc:"The visit whose page it opens on; empty for none"`
	State   line.State   `json:"state"`
	Since   string       `json:"since"`
	Days    int          `json:"days"`
	Closes  string       `json:"closes" doc:"The act that closes it"`
	Packet  *PacketOf    `json:"packet,omitempty" doc:"Of a row that stands for all reports of a patient"`
	Waits   bool         `json:"waits" doc:"For somebody else, rather than for an act here"`
	Again   bool         `json:"again" doc:"It was signed before, and has changed since"`
	rank    int
}

// PacketOf is what a row holds that stands for the reports of a patient.
type PacketOf struct {
	Reports     int `json:"reports"`
	Preliminary int `json:"preliminary"`
	Again       int `json:"again" doc:"Corrected after signing"`
}

// Rank is where the line stands among others, gravest first.
func (r *LineRow) Rank() int { return r.rank }

// LineFlags are where the values of a result stand: out of range, in range, or not judged
// by anybody.
type LineFlags struct {
	Above      int    `json:"above"`
	Below      int    `json:"below"`
	Abnormal   int    `json:"abnormal"`
	InRange    int    `json:"inRange"`
	NotJudged  int    `json:"notJudged"`
	Critical   string `json:"critical" doc:"The first critical value with unit and flag, or empty"`
	CriticalOf string `json:"criticalOf"`
	Written    bool   `json:"written" doc:"It is, or has, a text or a file, which somebody has to read"`
}

// Lists of the desk.
const (
	ResultList = "results"
	NoteList   = "notes"
	UnderWay   = "under way"
)

// LineKind is what a kind of open line brings to every list: which list of the desk it
// stands in and how its rows are read, all at once. Rooms bring their kinds; app wires
// them to the desk. A line without an owner is of all who have the kind's right.
type LineKind struct {
	Kind  line.Kind
	List  string
	Right Right                                              // who sees lines of this kind that nobody owns; "" where every line has an owner
	Fill  func(q *store.Q, who Actor, rows []*LineRow) error // says what each line is
}

// Rows writes lines as rows; their kinds say what they are.
func (o *Office) Rows(q *store.Q, who Actor, lines []store.Line, kinds []LineKind) ([]*LineRow, error) {
	names, err := q.StaffNames()
	if err != nil {
		return nil, err
	}
	out := make([]*LineRow, len(lines))
	by := map[line.Kind][]*LineRow{}
	right := map[line.Kind]Right{}
	for _, k := range kinds {
		right[k.Kind] = k.Right
	}
	for i, l := range lines {
		r := &LineRow{Line: l.ID, Kind: l.Kind, ID: l.Subject, Owner: names[l.OwnerID], State: l.State, Since: o.Say(l.OpenedAt),
			Days: o.DaysSince(l.OpenedAt), Closes: l.Kind.Act(), rank: l.Rank}
		if l.Patient.ID != "" {
			p := o.Patient(l.Patient)
			r.Patient = &p
		}
		out[i] = r
		by[l.Kind] = append(by[l.Kind], r)
		if l.OwnerID == "" {
			r.Owner = "whoever may " + string(right[l.Kind])
		}
	}
	for _, k := range kinds {
		if rows := by[k.Kind]; len(rows) > 0 {
			if err := k.Fill(q, who, rows); err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}

// Describe says of each row what it is about, found among all by its identifier. A row whose
// subject is not there says so.
func Describe[T any](rows []*LineRow, all []T, id func(T) string, say func(*LineRow, T)) {
	by := map[string]T{}
	for _, x := range all {
		by[id(x)] = x
	}
	for _, r := range rows {
		if x, there := by[r.ID]; there {
			say(r, x)
		} else {
			r.Title, r.Mark, r.Grave = "What this is about cannot be found", "missing", true
		}
	}
}

// Subjects are what some rows are about.
func Subjects(rows []*LineRow) []string {
	out := make([]string, len(rows))
	for i, r := range rows {
		out[i] = r.ID
	}
	return out
}
