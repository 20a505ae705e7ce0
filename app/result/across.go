package result

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/result"
	"deftledger/store"
)

// AcrossView is everything measured of a patient over the years: analytes down, days across, and beside it what is written.
type AcrossView struct {
	Patient act.PatientView `json:"patient"`
	Reports []AcrossReport  `json:"reports" doc:"Newest collection first"`
	Days    []string        `json:"days" doc:"The days on which something was collected, newest first; what has no day stands under an empty one"`
	Groups  []AcrossGroup   `json:"groups" doc:"By the panel in which an analyte came last"`
}

// AcrossReport is a report of the chart.
type AcrossReport struct {
	ID        string `json:"id"`
	Title     string `json:"title"`
	At        string `json:"at" doc:"When it was collected, as precisely as it came"`
	Performer string `json:"performer"`
	Status    string `json:"status"`
	Signed    bool   `json:"signed"`
	Day       int    `json:"day" doc:"Its place among the days"`
	Written   string `json:"written" doc:"What it says in words, where it is no list of values: what concludes, or what grew and what works against it; else empty"`
	Files     int    `json:"files"`
}

// AcrossGroup are the analytes of a panel.
type AcrossGroup struct {
	Title string      `json:"title"`
	Rows  []AcrossRow `json:"rows"`
}

// AcrossRow is an analyte with all its values, newest first, in the unit of the newest.
type AcrossRow struct {
	Name  string       `json:"name"`
	LOINC string       `json:"loinc"`
	Unit  string       `json:"unit"`
	Range string       `json:"range" doc:"Of the newest"`
	Out   int          `json:"out" doc:"So many stand out of their range, or were marked"`
	Cells []AcrossCell `json:"cells"`
}

// AcrossCell is a value.
type AcrossCell struct {
	Report int    `json:"report" doc:"Its place among the reports"`
	Text   string `json:"text"`
	Side   string `json:"side"`
	Range  string `json:"range,omitempty" doc:"Where it differs from the newest"`
	Unit   string `json:"unit,omitempty" doc:"Where it differs from the newest"`
	Also   string `json:"also,omitempty" doc:"That it is preliminary or corrected"`
	Other  bool   `json:"other,omitempty" doc:"Another laboratory or method measured it than the newest, or another unit: it stands on no line with it"`
}

// Across lays all that was measured of a patient out over the years. Values are as they were sent; nothing is converted.
func (a *Acts) Across(ctx context.Context, who act.Actor, patient string) (out AcrossView, err error) {
	out = AcrossView{Reports: []AcrossReport{}, Days: []string{}, Groups: []AcrossGroup{}}
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		out.Patient = a.Patient(p)
		reports, err := q.ReportsOf(patient)
		if err != nil {
			return err
		}
		a.across(&out, reports)
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "look at results over the years", out.Patient.ID, "")
	}
	return out, err
}

// place is where an analyte stands.
type place struct{ group, row int }

// across lays reports out; their order is by when they were collected, newest first.
func (a *Acts) across(out *AcrossView, reports []store.Report) {
	begins := make(map[string]time.Time, len(reports))
	for _, r := range reports {
		begins[r.ID] = result.Begins(r.CollectedAt)
	}
	slices.SortStableFunc(reports, func(x, y store.Report) int { return begins[y.ID].Compare(begins[x.ID]) })

	at := map[string]place{} // by LOINC, else by the laboratory's code and unit
	by := map[place]string{} // who measured the newest
	for i, r := range reports {
		day := r.CollectedAt[:min(len(r.CollectedAt), len(time.DateOnly))]
		if n := len(out.Days); n == 0 || out.Days[n-1] != day {
			out.Days = append(out.Days, day)
		}
		v := AcrossReport{ID: r.ID, Title: r.Title, At: r.CollectedAt, Performer: r.Performer, Status: result.SayReport(r.Status), Signed: r.SignedIssue == r.Issue, Day: len(out.Days) - 1}
		laid := result.Lay(r.Values, r.Details.Parent)
		for _, k := range laid.Attached {
			v.Files += len(r.Values[k].Details.Attached)
		}
		if len(laid.Rows) < len(r.Values) || len(r.Values) == 0 {
			var words []string
			quoted := result.Quoted(r.Values, r.Details.Parent)
			if len(laid.Cultures) > 0 {
				laid.Rows = nil // what grew stands with what works against it
			}
			for _, x := range quoted[len(laid.Rows):] {
				words = append(words, strings.TrimSpace(x.Name+" "+x.Text+" "+chart.ShownUnit(x.Unit)))
			}
			v.Written = strings.Join(words, ". ")
			switch {
			case v.Written != "":
			case v.Files > 0:
				v.Written = "A file came with it."
			case len(r.Values) == 0:
				v.Written = cmp.Or(r.Notes, "No value came with it.")
			}
		}
		out.Reports = append(out.Reports, v)
		group := -1
		for _, k := range laid.Rows {
			x := r.Values[k]
			if !result.Live(x.Status) || x.Text == "" {
				continue
			}
			measured := a.measuredBy(cmp.Or(x.Details.Performer, r.Performer))
			key := a.analyteKey(at, x, measured)
			where, known := at[key]
			if !known {
				if group < 0 {
					if group = slices.IndexFunc(out.Groups, func(g AcrossGroup) bool { return g.Title == r.Title }); group < 0 {
						group = len(out.Groups)
						out.Groups = append(out.Groups, AcrossGroup{Title: r.Title, Rows: []AcrossRow{}})
					}
				}
				where = place{group, len(out.Groups[group].Rows)}
				at[key] = where
				out.Groups[group].Rows = append(out.Groups[group].Rows, AcrossRow{Name: x.Name, LOINC: x.LOINC, Unit: x.Unit, Range: x.Range, Cells: []AcrossCell{}})
			}
			row := &out.Groups[where.group].Rows[where.row]
			measured += "\t" + x.Details.Method
			if len(row.Cells) == 0 {
				by[where] = measured
			}
			s := side(result.Stand(x))
			c := AcrossCell{Report: i, Text: x.Text, Side: s, Also: result.SayStatus(x.Status), Other: measured != by[where] || x.Unit != row.Unit}
			if x.Range != row.Range {
				c.Range = cmp.Or(x.Range, "none")
			}
			if x.Unit != row.Unit {
				c.Unit = cmp.Or(chart.ShownUnit(x.Unit), "no unit")
			}
			if s != string(result.In) && s != string(result.NotJudged) {
				row.Out++
			}
			row.Cells = append(row.Cells, c)
		}
	}
}

// analyteKey is by what an analyte is known again: its LOINC code, or that of one which is the same quantity; without one its
// laboratory's code.
func (a *Acts) analyteKey(known map[string]place, v result.Value, laboratory string) string {
	if v.LOINC == "" {
		return "code " + v.Code + " " + v.Name + " of " + laboratory
	}
	if _, there := known[v.LOINC]; there {
		return v.LOINC
	}
	for k := range known {
		if a.Analytes.Same(k, v.LOINC) {
			return k
		}
	}
	return v.LOINC
}
