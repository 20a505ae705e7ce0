package desk

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/result"
	"deftledger/store"
)

// packets reads a page of what was received: a row for each patient with all their reports that wait, and one for everything else.
func (a *Acts) packets(q *store.Q, who act.Actor, x DeskSought, owners []string, kinds []line.Kind, out *Desk) error {
	unowned := a.unowned(who, x.List)
	switch x.Whose {
	case "mine":
		owners, unowned.Kinds = []string{who.ID}, nil
	case "covered":
		owners, unowned.Kinds = owners[1:], nil
	case "team":
		owners = nil
	}
	entries, err := q.OpenEntries(owners, kinds, unowned)
	if err != nil {
		return err
	}
	if x.Narrowed {
		if entries, err = a.narrowed(q, x, entries, out); err != nil {
			return err
		}
		out.Found = len(entries)
	}
	all := line.Packets(entries, !x.Each)
	order := line.Place.Compare
	switch x.Sort {
	case "oldest":
		order = line.Place.ByAge
	case "patient":
		order = line.Place.ByName
	}
	if x.Sort != "" {
		slices.SortStableFunc(all, func(p, o line.Packet) int { return order(p.Place, o.Place) })
	}
	if x.After != "" {
		after, err := q.PlaceOf(x.After)
		if err != nil {
			return act.NotFound(err, "line")
		}
		from := slices.IndexFunc(all, func(p line.Packet) bool { return p.ID == x.After })
		if from < 0 { // it was closed meanwhile: what comes after where it stood
			from = slices.IndexFunc(all, func(p line.Packet) bool { return order(p.Place, after) > 0 }) - 1
			if from == -2 {
				from = len(all) - 1
			}
		}
		all = all[from+1:]
	}
	if len(all) > pagePackets {
		all = all[:pagePackets]
		out.Next = all[pagePackets-1].ID
	}
	var ids []string
	for _, p := range all {
		for _, e := range p.Entries {
			ids = append(ids, e.ID)
		}
	}
	lines, err := q.LinesIn(ids)
	if err != nil {
		return err
	}
	rows, err := a.Rows(q, who, lines, a.kinds)
	if err != nil {
		return err
	}
	by := map[string]*act.LineRow{}
	for _, r := range rows {
		by[r.Line] = r
	}
	for _, p := range all {
		var of []*act.LineRow
		for _, e := range p.Entries {
			of = append(of, by[e.ID])
		}
		out.Rows = append(out.Rows, together(of))
	}
	return nil
}

// together is the row of a packet.
func together(of []*act.LineRow) *act.LineRow {
	r := *of[0]
	if r.Kind != line.Report || r.Patient == nil {
		return &r
	}
	r.Packet = &act.PacketOf{Reports: len(of)}
	r.Flags = &act.LineFlags{}
	handed, written := 0, 0
	for _, x := range of {
		if x.Since < r.Since {
			r.Since, r.Days = x.Since, x.Days
		}
		if x.State == line.Waiting {
			handed++
		}
		if x.Waits {
			r.Packet.Preliminary++
		}
		if x.Again {
			r.Packet.Again++
		}
		if f := x.Flags; f != nil {
			r.Flags.Above += f.Above
			r.Flags.Below += f.Below
			r.Flags.Abnormal += f.Abnormal
			r.Flags.InRange += f.InRange
			r.Flags.NotJudged += f.NotJudged
			if f.Written {
				r.Flags.Written = true
				written++
			}
			if r.Flags.Critical == "" {
				r.Flags.Critical, r.Flags.CriticalOf = f.Critical, f.CriticalOf
			}
		}
	}
	if len(of) == 1 {
		return &r
	}
	says := []string{fmt.Sprintf("%d reports", len(of))}
	if written > 0 {
		says[0] += fmt.Sprintf(", %d to read", written) // no flag tells of a text
	}
	if n := len(of) - r.Packet.Preliminary; r.Packet.Preliminary > 0 {
		says = append(says, fmt.Sprintf("%d preliminary", r.Packet.Preliminary))
		if n == 0 {
			says = []string{says[0] + ", preliminary"}
		}
	} else {
		says[0] += ", final"
	}
	if r.Packet.Again > 0 {
		says = append(says, fmt.Sprintf("%d corrected after signing", r.Packet.Again))
	}
	if handed > 0 {
		says = append(says, fmt.Sprintf("%d handed over", handed))
	}
	r.Title = strings.Join(says, "; ")
	return &r
}

// narrowed keeps of the open lines what is meant, and says who performed what waits.
func (a *Acts) narrowed(q *store.Q, x DeskSought, entries []line.Entry, out *Desk) ([]line.Entry, error) {
	var ids []string
	for _, e := range entries {
		if e.Kind == line.Report {
			ids = append(ids, e.Subject)
		}
	}
	heads, err := q.ReportHeads(ids)
	if err != nil {
		return nil, err
	}
	for _, h := range heads {
		if h.Performer != "" && !slices.Contains(out.Facilities, h.Performer) {
			out.Facilities = append(out.Facilities, h.Performer)
		}
	}
	slices.Sort(out.Facilities)
	flags := map[string]string{} // of reports whose rank does not tell it: preliminary, signed before, handed over, or not judged
	if x.Flag != "" {
		ids = ids[:0]
		for _, e := range entries {
			if e.Kind == line.Report && flagOf(e) == "" {
				ids = append(ids, e.Subject)
			}
		}
		reports, err := q.ReportsIn(ids)
		if err != nil {
			return nil, err
		}
		for _, r := range reports {
			flags[r.ID] = result.FlagOf(r.Values)
		}
	}
	words := strings.Fields(chart.Plain(x.Words))
	now := a.Clock()
	return slices.DeleteFunc(entries, func(e line.Entry) bool {
		h, report := heads[e.Subject]
		report = report && e.Kind == line.Report
		text := chart.Plain(strings.ReplaceAll(e.Name, "\t", " ") + " " + h.Title + " " + h.Performer)
		for _, w := range words {
			if !strings.Contains(text, w) {
				return true
			}
		}
		switch {
		case x.Days > 0 && int(now.Sub(e.Opened).Hours()/24) < x.Days,
			x.Facility != "" && (!report || h.Performer != x.Facility),
			x.Flag != "" && cmp.Or(flagOf(e), flags[e.Subject]) != x.Flag:
			return true
		}
		switch x.State {
		case "preliminary":
			return !report || !result.Waits(h.Status)
		case "corrected":
			return !report || h.Status != "C"
		case "final":
			return !report || result.Waits(h.Status) || h.Status == "C"
		}
		return false
	}), nil
}

// flagOf is the flag that the rank of a line stands for; "" where only the values tell it, or it has none.
func flagOf(e line.Entry) string {
	switch {
	case e.Rank == line.Critical:
		return result.FlagCritical
	case e.Kind == line.Report && e.Rank == line.AsExpected:
		return result.FlagIn
	}
	return ""
}
