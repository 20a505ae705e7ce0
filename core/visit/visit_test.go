package visit_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/visit"
)

func TestOpeningTheNoteMovesTheVisitOnAndNeverBack(t *testing.T) {
	for _, x := range []struct {
		from              visit.Stage
		physician, signed bool
		to                visit.Stage
	}{
		{visit.Expected, true, false, visit.InVisit}, {visit.Ready, true, false, visit.InVisit}, {visit.Finishing, true, false, visit.Finishing},
		{visit.Done, true, false, visit.Done}, {visit.Expected, true, true, visit.Expected},
		{visit.Expected, false, false, visit.Intake}, {visit.Arrived, false, false, visit.Intake}, {visit.Ready, false, false, visit.Ready},
		{visit.InVisit, false, false, visit.InVisit}, {visit.Done, false, true, visit.Done},
	} {
		require.Equal(t, x.to, x.from.Opened(x.physician, x.signed), "%+v", x)
	}
	require.False(t, visit.Stage("asleep").Known())
	require.True(t, visit.Finishing.Attended())
	require.False(t, visit.Ready.Attended())
}

// What is found is free, not before what was asked, and in a full day right after some visit.
func TestTheNextFreeTimeIsFree(t *testing.T) {
	day := time.Date(2026, 5, 4, 8, 0, 0, 0, time.UTC)
	rapid.Check(t, func(t *rapid.T) {
		var taken []time.Time
		for range rapid.IntRange(0, 30).Draw(t, "visits") {
			taken = append(taken, day.Add(time.Duration(rapid.IntRange(0, 540).Draw(t, "minute"))*time.Minute))
		}
		asked := day.Add(time.Duration(rapid.IntRange(0, 540).Draw(t, "asked")) * time.Minute)
		free := visit.NextFree(asked, taken)
		require.False(t, free.Before(asked))
		after := free.Equal(asked)
		for _, x := range taken {
			require.GreaterOrEqual(t, free.Sub(x).Abs(), visit.Slot)
			after = after || free.Sub(x) == visit.Slot
		}
		require.True(t, after)
	})
}

func ExampleNextFree() {
	at := func(clock string) time.Time { t, _ := time.Parse("15:04", clock); return t }
	fmt.Println(visit.NextFree(at("09:10"), []time.Time{at("09:00"), at("09:20"), at("09:50")}).Format("15:04"))
	// Output: 10:10
}
