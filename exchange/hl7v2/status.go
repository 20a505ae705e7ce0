package hl7v2

import (
	"slices"
	"strings"

	"deftledger/core/order"
)

// OrderStatus is what a laboratory says of one order (ORC-1 SC, or SR in answer to SS).
type OrderStatus struct {
	Placer, Filler string
	Family, Born   string // of the patient it names (PID), YYYYMMDD; "" where it names none
	order.Told
}

// ParseStatuses reads what a message says of how far orders have come: OML^O21 or an older
// ORM^O01 sent unasked (ORC-1 SC), or the ORL^O22 that answers our question (SR). It is empty
// where a message says nothing of the kind. What they write beside it is kept with the words.
func ParseStatuses(raw []byte) ([]OrderStatus, error) {
	m, err := Parse(raw)
	if err != nil {
		return nil, err
	}
	if !slices.Contains([]string{"OML", "ORM", "ORL", "ORR"}, m.Segments[0].Get(9, 1)) {
		return nil, nil
	}
	var out []OrderStatus
	var status, ofResult, family, born string
	var notes []string
	in := false
	end := func() {
		if !in {
			return
		}
		o := &out[len(out)-1]
		o.Told = order.SaysOfOrder(status, ofResult)
		if text := strings.Join(notes, " "); text != "" {
			o.Words += ": " + text
		}
		in, status, ofResult, notes = false, "", "", nil
	}
	note := func(text string) {
		if text = strings.TrimSpace(text); text != "" {
			notes = append(notes, text)
		}
	}
	for _, s := range m.Segments {
		switch s.Name {
		case "PID":
			end()
			family, born = s.Get(5, 1), s.Get(7, 1)
			born = born[:min(8, len(born))]
		case "ORC":
			end()
			if code := strings.ToUpper(s.Get(1, 1)); code == "SC" || code == "SR" {
				in = true
				out = append(out, OrderStatus{Placer: s.Get(2, 1), Filler: s.Get(3, 1), Family: family, Born: born})
				status = strings.ToUpper(s.Get(5, 1))
				note(cmpOr(s.Get(16, 2), s.Get(16, 1)))
			}
		case "OBR":
			if in {
				o := &out[len(out)-1]
				o.Placer, o.Filler = cmpOr(o.Placer, s.Get(2, 1)), cmpOr(o.Filler, s.Get(3, 1))
				ofResult = strings.ToUpper(s.Get(25, 1))
			}
		case "NTE":
			if in {
				note(strings.Join(s.Whole(3), " "))
			}
		}
	}
	end()
	return out, nil
}
