package line

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

func TestWhereATurnStands(t *testing.T) {
	at := time.Date(2026, 5, 4, 8, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		turn Turn
		want Standing
	}{
		{Turn{Ordered: at}, TurnLost}, // no line is open, and nothing came
		{Turn{Ordered: at, Open: true}, TurnOpen},
		{Turn{Ordered: at, Cancelled: true}, TurnCancelled},
		{Turn{Ordered: at, Cancelled: true, Open: true}, TurnOpen}, // something of it still waits
		{Turn{Ordered: at, Signed: at}, TurnLost},                  // signed, and the patient was never told
		{Turn{Ordered: at, Signed: at, Told: at}, TurnTold},
		{Turn{Ordered: at, Signed: at, Told: at, Open: true}, TurnOpen}, // reopened
		{Turn{Ordered: at, Told: at}, TurnLost},
	} {
		require.Equal(t, c.want, c.turn.Stands(), "%+v", c.turn)
	}
}

// Worked by hand: ten turns that took 1 to 10 hours from order to collection: the middle one by the nearest rank is 5, nine of ten do not exceed 9.
func TestHowLongItTook(t *testing.T) {
	at := time.Date(2026, 5, 4, 8, 0, 0, 0, time.UTC)
	var turns []Turn
	for _, h := range []int{3, 1, 10, 7, 2, 9, 4, 8, 6, 5} {
		turns = append(turns, Turn{Ordered: at, Collected: at.Add(time.Duration(h) * time.Hour), Received: at}) // received before it was collected: not counted
	}
	turns = append(turns, Turn{Ordered: at})
	m := MeasureLegs(turns)
	require.Equal(t, Measure{10, 5 * time.Hour, 9 * time.Hour}, m[0])
	require.Equal(t, Measure{}, m[1])
	require.Equal(t, Measure{1, time.Hour, time.Hour}, MeasureLegs([]Turn{{Signed: at, Told: at.Add(time.Hour)}})[3])
}
