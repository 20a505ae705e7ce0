package demo_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	notes "deftledger/app/note"
	"deftledger/core/safety"
	"deftledger/store"
)

// TestGoldenNotes renders complete, signed visits of the demo to text and holds
// them against files that were read aloud before they were accepted. After a
// wanted change of wording, DEFTLEDGER_GOLDEN=write writes them anew: read every
// one of them again.
func TestGoldenNotes(t *testing.T) {
	ctx := context.Background()
	now := time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC)
	a, who, _ := fill(t, now)
	seen := 0
	require.NoError(t, a.Store.Read(ctx, func(q *store.Q) error {
		patients, err := q.AllPatients()
		if err != nil {
			return err
		}
		for _, p := range patients {
			notes, err := q.NotesOf(p.ID)
			if err != nil {
				return err
			}
			for _, n := range notes {
				interviews, err := q.NoteInterviews(n.ID)
				if err != nil {
					return err
				}
				answers, err := q.NoteAnswers(n.ID)
				if err != nil {
					return err
				}
				if n.Folio == 0 || len(interviews) == 0 || len(answers) == 0 {
					continue
				}
				v, err := a.Note.Note(ctx, who["maren"], n.ID)
				if err != nil {
					return err
				}
				golden(t, v)
				seen++
			}
		}
		return nil
	}))
	require.GreaterOrEqual(t, seen, 12)
}

func golden(t *testing.T, v notes.NoteView) {
	p := v.Visit.Patient
	text := p.Given + " " + p.Family + ", " + v.Visit.StartsAt[:10] + ", " + v.Visit.Kind + ": " + v.Visit.Reason + "\n"
	for _, s := range v.Sealed.Sections {
		text += "\n" + strings.ToUpper(s.Heading) + "\n" + s.Text + "\n"
	}
	require.NotContains(t, text, "  ")
	name := strings.ToLower(p.Given + "-" + strings.NewReplacer(" ", "-", ",", "").Replace(v.Visit.Reason))
	against(t, name, text)
}

// against holds a text against its file.
func against(t *testing.T, name, text string) {
	t.Helper()
	file := filepath.Join("testdata", "golden", name+".txt")
	if os.Getenv("DEFTLEDGER_GOLDEN") == "write" {
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	}
	want, err := os.ReadFile(file)
	require.NoError(t, err)
	require.Equal(t, string(want), text, file)
}

// TestGoldenLetters fills the referral letter, and the summary for another practice, of
// two patients of the demo, and holds them against files that were read aloud before
// they were accepted.
func TestGoldenLetters(t *testing.T) {
	ctx := context.Background()
	a, who, _ := fill(t, time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	a.Medicines, _ = safety.New(safety.Knowledge{})
	seen := 0
	require.NoError(t, a.Store.Read(ctx, func(q *store.Q) error {
		patients, err := q.AllPatients()
		if err != nil {
			return err
		}
		for _, p := range patients {
			if p.Name.Given != "Ottoline" && p.Name.Given != "Halvard" {
				continue
			}
			notes, err := q.NotesOf(p.ID)
			if err != nil {
				return err
			}
			for _, n := range notes {
				if n.Folio == 0 {
					continue
				}
				v, err := a.Paper.Letters(ctx, who["maren"], n.ID)
				if err != nil {
					return err
				}
				for _, l := range v.Letters {
					if l.ID == "referral" || l.ID == "transfer" {
						against(t, "letter-"+strings.ToLower(p.Name.Given)+"-"+l.ID, l.Text+"\n")
						seen++
					}
				}
				break // the newest signed note
			}
		}
		return nil
	}))
	require.Equal(t, 4, seen)
}
