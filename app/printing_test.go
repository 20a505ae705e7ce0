package app_test

import (
	"encoding/csv"
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/printing"
)

// A batch prints what it was made of, also when a newer issue has come since, and says so; what left its chart is not printed again;
// who made it when is kept; printing closes nothing; the same selection sent again is one batch.
func TestABatchIsPrintedAndRepeated(t *testing.T) {
	c := open(t)
	r := c.withFile()
	o := c.order("K")
	c.step()
	c.receive(oru("P1", o.Placer+"-1", "F", "5.6", "3.5-5.1||||F", "3.5-5.1|H|||F"), "AA")
	var other string
	for _, x := range c.desk().Reports {
		if x.ID != r.ID {
			other = x.ID
		}
	}
	waiting := c.count("SELECT count(*) FROM line WHERE closed_at = ''")
	a := c.app.Printing
	b, err := a.Print(ctx, c.petra(), printing.NewBatch{ID: "batch-0001", Reports: []string{other, r.ID, other}})
	require.NoError(t, err)
	require.Len(t, b.Cover, 2, "each once")
	_, err = a.Print(ctx, c.petra(), printing.NewBatch{ID: "batch-0001", Reports: []string{other, r.ID}})
	require.NoError(t, err)
	require.Equal(t, 1, c.count("SELECT count(*) FROM print_batch"))
	_, err = a.Print(ctx, c.doctor(), printing.NewBatch{ID: "batch-0001", Reports: []string{other}})
	require.Equal(t, act.Conflict, kind(t, err), "somebody else's")
	_, err = a.Print(ctx, c.sunniva(), printing.NewBatch{ID: "batch-0002", Reports: []string{other}})
	require.Equal(t, act.Forbidden, kind(t, err))
	paper, err := a.PDF(ctx, c.petra(), "batch-0001")
	require.NoError(t, err)
	require.True(t, strings.HasPrefix(string(paper), "%PDF-"))
	require.Equal(t, waiting, c.count("SELECT count(*) FROM line WHERE closed_at = ''"), "printing closes nothing")

	c.receive(oru("P2", o.Placer+"-1", "C", "4.4"), "AA")
	table, err := a.CSV(ctx, c.doctor(), "batch-0001")
	require.NoError(t, err)
	rows, err := csv.NewReader(strings.NewReader(string(table))).ReadAll()
	require.NoError(t, err)
	require.Equal(t, []string{"Potassium", "2823-3", "5.6", "mmol/L", "3.5-5.1", "H", "final", ""}, rows[1][10:], "the issue it had")
	v, err := a.Batch(ctx, c.doctor(), "batch-0001")
	require.NoError(t, err)
	require.True(t, v.Cover[0].Newer)
	require.False(t, v.Cover[1].Newer)
	require.Equal(t, []printing.MadeView{{Form: "pdf", By: c.petra().Name, At: v.Made[0].At}, {Form: "csv", By: c.doctor().Name, At: v.Made[1].At}}, v.Made)

	require.NoError(t, c.app.Result.Detach(ctx, c.doctor(), r.ID, "Another person's."))
	raw, err := a.FHIR(ctx, c.doctor(), "batch-0001")
	require.NoError(t, err)
	require.NotContains(t, string(raw), r.ID, "what left its chart is not given out again")
	var bundle struct {
		Entry []struct {
			Resource struct {
				ResourceType, ID, Status string
				ValueQuantity            struct {
					Value json.Number
					Unit  string
				}
				ReferenceRange []struct{ Text string }
				Result         []struct{ Reference string }
			}
		}
	}
	require.NoError(t, json.Unmarshal(raw, &bundle))
	require.Len(t, bundle.Entry, 3)
	o1, d := bundle.Entry[1].Resource, bundle.Entry[2].Resource
	require.Equal(t, []string{"Observation", "5.6", "mmol/L", "3.5-5.1", "final"}, []string{o1.ResourceType, o1.ValueQuantity.Value.String(), o1.ValueQuantity.Unit, o1.ReferenceRange[0].Text, o1.Status})
	require.Equal(t, "Observation/"+o1.ID, d.Result[0].Reference)
	_, err = a.Print(ctx, c.doctor(), printing.NewBatch{ID: "batch-0003", Reports: []string{r.ID}})
	require.Equal(t, act.Conflict, kind(t, err))
	list, err := a.Batches(ctx, c.doctor(), "")
	require.NoError(t, err)
	require.Len(t, list, 1)
	require.Equal(t, []int{2, 1, 3}, []int{list[0].Reports, list[0].Patients, len(list[0].Made)})
	list, err = a.Batches(ctx, c.doctor(), list[0].At)
	require.NoError(t, err)
	require.Empty(t, list)
}
