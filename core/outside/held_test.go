package outside_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/core/outside"
)

// What a wish is about stays back whatever was said besides; what tells of it may be let go by who looked at it; a note that is held back
// says of nothing else that it tells of it; and a subject that nobody knows any more keeps everything.
func TestWhatStaysBackAndWhy(t *testing.T) {
	at := time.Date(2026, 11, 1, 9, 0, 0, 0, time.UTC)
	drinks := outside.Sensitive{Subjects: []outside.Subject{{ID: "drink", Title: "Drinking", Words: []string{"gin.", "ETOH"}, Codes: []string{"F10"}, Names: []string{"naltrexone"}}}}
	told := outside.Told{Ref: "n1", Parts: []string{"notes"}, Text: "A gin a day."}
	keeper := func(wishes ...outside.Wish) outside.Keeper { return outside.Keeper{Sensitive: drinks, Wishes: wishes} }
	subject := outside.Wish{Of: outside.OfSubject, ID: "drink", Title: "Drinking", At: at}
	for name, c := range map[string]struct {
		keeper outside.Keeper
		told   outside.Told
		why    string
	}{
		"nothing is wished":          {keeper(), told, ""},
		"the part":                   {keeper(outside.Wish{Of: outside.OfPart, ID: "notes"}), told, "this part is held back"},
		"itself":                     {keeper(outside.Wish{Of: outside.OfEntry, ID: "n1"}), told, "it is held back"},
		"by a word":                  {keeper(subject), told, "it may tell of “Drinking” (gin)"},
		"a whole word only":          {keeper(subject), outside.Told{Ref: "x", Text: "gingivitis"}, ""},
		"written just so":            {keeper(subject), outside.Told{Ref: "x", Text: "no etoh"}, ""},
		"by its code":                {keeper(subject), outside.Told{Ref: "x", Codes: []string{"F10.20"}}, "it may tell of “Drinking” (F10.20)"},
		"by a medicine":              {keeper(subject), outside.Told{Ref: "x", Text: "Vivitrol", Names: []string{"naltrexone"}}, "it may tell of “Drinking” (naltrexone)"},
		"nobody can look":            {keeper(subject), outside.Told{Ref: "x", Text: "A scan", Unread: true}, "nobody here can look into it"},
		"a part is no reason to ask": {keeper(outside.Wish{Of: outside.OfPart, ID: "visits"}), outside.Told{Ref: "x", Text: "A scan", Unread: true}, ""},
		"another note is held back":  {keeper(outside.Wish{Of: outside.OfEntry, ID: "n0", Title: "Note: Follow-up visit"}), outside.Told{Ref: "v1", Text: "Follow-up visit"}, ""},
		"a subject nobody knows":     {keeper(outside.Wish{Of: outside.OfSubject, ID: "gone", Title: "Gone"}), outside.Told{Ref: "x", Text: "Knee pain"}, "nobody here knows any more what tells of “Gone”"},
	} {
		require.Equal(t, c.why, c.keeper.Why(c.told), name)
	}
	k := keeper(subject)
	k.Cleared = map[string]outside.Clearance{"n1": {At: at.Add(time.Hour), Reads: []string{told.Reads()}}}
	require.Empty(t, k.Why(told), "it was looked at")
	more := told
	more.Text += " Two on Sundays."
	require.NotEmpty(t, k.Why(more), "it says more now")
	k.Wishes[0].At = at.Add(2 * time.Hour)
	require.NotEmpty(t, k.Why(told), "it was looked at before this was wished")
}
