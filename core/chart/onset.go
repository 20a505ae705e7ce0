package chart

import (
	"fmt"
	"time"
)

// ProblemStates are how an ongoing problem can stand (FHIR R4 condition-clinical, those
// that keep it on the list). "" is not said.
var ProblemStates = []string{"active", "recurrence", "remission"}

// CheckOnset says what is wrong with when a problem began, known to the year (2019), the
// month (2019-05) or the day; "" is unknown. It lies between birth and today.
func CheckOnset(onset, birth, today string) error {
	if onset == "" {
		return nil
	}
	layouts := map[int]string{4: "2006", 7: "2006-01", 10: time.DateOnly}
	layout, known := layouts[len(onset)]
	if _, err := time.Parse(layout, onset); err != nil || !known {
		return fmt.Errorf("write since when as 2019, 2019-05 or 2019-05-14")
	}
	switch {
	case len(birth) >= len(onset) && onset < birth[:len(onset)]:
		return fmt.Errorf("that is before the patient was born")
	case onset > today[:len(onset)]:
		return fmt.Errorf("that day is still ahead")
	}
	return nil
}

// SayDay writes a day (YYYY-MM-DD) as people read it, "02 Jan 2006"; anything else as it is.
func SayDay(day string) string {
	t, err := time.Parse(time.DateOnly, day)
	if err != nil {
		return day
	}
	return t.Format("02 Jan 2006")
}
