package app_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/desk"
	"deftledger/core/line"
)

func (c *clinic) petra() act.Actor { return c.who[act.Nurse] }

// telephoned finds the line of an order by telephone on somebody's desk.
func (c *clinic) telephoned(who act.Actor) (out act.LineRow) {
	c.Helper()
	v, err := c.app.Desk.MyDesk(ctx, who, desk.DeskSought{List: act.UnderWay, After: ""})
	require.NoError(c, err)
	for _, r := range v.Rows {
		if r.Kind == line.Telephone {
			out = *r
		}
	}
	return out
}

// Given by telephone and read back, it goes out at once in the name of whoever gave it, and is a
// line of theirs until they sign it.
func TestAnOrderByTelephoneUntilItsAuthorSigns(t *testing.T) {
	c := open(t)
	c.receivers()
	p := c.wholePad(c.practiceIn("fax"), "by telephone")
	doctor := c.doctor().ID
	_, err := c.app.Pad.Telephone(ctx, c.jonah(), p, doctor, true)
	require.Equal(t, act.Forbidden, kind(t, err), "an assistant lays it for the signature")
	_, err = c.app.Pad.Telephone(ctx, c.petra(), p, doctor, false)
	require.ErrorContains(t, err, "Read it back")
	for _, nobody := range []string{"", "x", c.petra().ID, c.jonah().ID} {
		_, err = c.app.Pad.Telephone(ctx, c.petra(), p, nobody, true)
		require.ErrorContains(t, err, "Say who gave the order")
	}
	controlled := c.wholePad(c.practiceIn("fax"), "controlled")
	controlled.Prescriptions[0].Drug.Medicine = "oxycodone"
	_, err = c.app.Pad.Telephone(ctx, c.petra(), controlled, doctor, true)
	require.ErrorContains(t, err, "not taken by telephone")
	require.Zero(t, c.ordered())

	out, err := c.app.Pad.Telephone(ctx, c.petra(), p, doctor, true)
	require.NoError(t, err)
	_, err = c.app.Pad.Telephone(ctx, c.petra(), p, doctor, true)
	require.NoError(t, err)
	require.Equal(t, 4, c.ordered(), "sent twice it counts once")
	require.Equal(t, 1, c.count("SELECT count(*) FROM inquiry WHERE kind = 'telephone order'"))
	c.step()
	require.Contains(t, string(c.lab.got[len(c.lab.got)-1]), "physician^A", "the laboratory is told who ordered it")
	require.Equal(t, c.petra().Name, out.Orders[0].Taker)
	row := c.telephoned(c.doctor())
	require.Equal(t, "by telephone", row.Mark)
	require.Contains(t, row.Title, "Ultrasound, kidneys and bladder")
	require.Empty(t, c.telephoned(c.petra()).ID, "it waits for its author alone")
	require.Contains(t, c.text("SELECT content FROM ledger_entry WHERE kind = 'order' ORDER BY seq DESC LIMIT 1"), `"orderer":"`+c.doctor().Name+`"`)

	require.Equal(t, act.Forbidden, kind(t, c.app.Pad.Own(ctx, c.who["second"], row.ID, secret)), "a colleague did not give it")
	require.Equal(t, act.Unproven, kind(t, c.app.Pad.Own(ctx, c.doctor(), row.ID, "")))
	require.NoError(t, c.app.Pad.Own(ctx, c.doctor(), row.ID, secret))
	require.Empty(t, c.telephoned(c.doctor()).ID)
	require.Contains(t, c.text("SELECT content FROM ledger_entry WHERE kind = 'order by telephone'"), out.Referrals[1].ID)
	require.Equal(t, act.Conflict, kind(t, c.app.Pad.Own(ctx, c.doctor(), row.ID, secret)), "once")
	require.Empty(t, c.verify())
}

// What its author does not own to is still out there: it goes back to whoever took it down, and
// stays a line until they say what was done.
func TestAnOrderThatWasNotGivenSo(t *testing.T) {
	c := open(t)
	p := c.wholePad(c.practiceIn("fax"), "misheard")
	out, err := c.app.Pad.Telephone(ctx, c.petra(), p, c.doctor().ID, true)
	require.NoError(t, err)
	row := c.telephoned(c.doctor())
	require.Equal(t, act.Invalid, kind(t, c.app.Pad.Disown(ctx, c.doctor(), row.ID, " ")))
	require.NoError(t, c.app.Pad.Disown(ctx, c.doctor(), row.ID, "I said sodium, not potassium."))
	require.Empty(t, c.telephoned(c.doctor()).ID)
	back := c.telephoned(c.petra())
	require.True(t, back.Grave)
	require.Contains(t, back.Title, "I said sodium")
	opened, err := c.app.Pad.Taken(ctx, c.petra(), back.ID)
	require.NoError(t, err)
	require.True(t, opened.Telephone.Mine)
	require.Equal(t, out.Orders[0].ID, opened.Telephone.Items[0].ID)
	require.Equal(t, act.Conflict, kind(t, c.app.Pad.Own(ctx, c.doctor(), back.ID, secret)))
	require.NoError(t, c.app.Pad.Redress(ctx, c.petra(), back.ID, "Cancelled it, and took sodium down."))
	require.Empty(t, c.telephoned(c.petra()).ID)
	require.Empty(t, c.verify())
}
