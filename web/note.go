package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	notes "deftledger/app/note"
	"deftledger/core/note"
)

// describeNote registers what the room note does and shows.
func (s *server) describeNote(api huma.API) {
	does(api, http.MethodPost, "start-visit", "/api/visits/{id}/start",
		func(ctx context.Context, who act.Actor, in *PathID) (*body[Started], error) {
			n, err := s.app.Note.StartVisit(ctx, who, in.ID)
			return &body[Started]{Started{n}}, err
		})
	get(api, "note", "/api/notes/{id}", func(ctx context.Context, who act.Actor, in *PathID) (notes.NoteView, error) {
		return s.app.Note.Note(ctx, who, in.ID)
	})
	does(api, http.MethodPut, "save-part", "/api/notes/{id}/parts/{part}", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Part string `path:"part" enum:"subjective,function,objective,assessment,plan,remarks"`
		Body struct {
			Text   string `json:"text"`
			Base   int    `json:"base" doc:"The version the text was written on"`
			SaveID string `json:"saveId" maxLength:"64"`
		}
	}) (*body[notes.Saved], error) {
		out, err := s.app.Note.SavePart(ctx, who, in.ID, note.Part(in.Part), in.Body.Text, in.Body.Base, in.Body.SaveID)
		return &body[notes.Saved]{out}, err
	})
	does(api, http.MethodPost, "settle-conflict", "/api/notes/{id}/conflicts/{conflict}/settle",
		func(ctx context.Context, who act.Actor, in *struct {
			PathID
			Conflict string `path:"conflict" maxLength:"64"`
		}) (*body[notes.NoteView], error) {
			return s.noteNow(ctx, who, in.ID, s.app.Note.SettleConflict(ctx, who, in.ID, in.Conflict))
		})
	does(api, http.MethodPost, "writing", "/api/notes/{id}/writing", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Window string `json:"window" maxLength:"64"`
			Leave  bool   `json:"leave"`
		}
	}) (*body[[]string], error) {
		others, err := s.app.Note.Writing(ctx, who, in.ID, in.Body.Window, in.Body.Leave)
		return &body[[]string]{others}, err
	})
	does(api, http.MethodPut, "set-diagnoses", "/api/notes/{id}/diagnoses", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Codes   []string `json:"codes" maxItems:"60"`
			Version int      `json:"version"`
		}
	}) (*body[notes.NoteView], error) {
		return s.noteNow(ctx, who, in.ID, s.app.Note.SetDiagnoses(ctx, who, in.ID, in.Body.Codes, in.Body.Version))
	})
	does(api, http.MethodPost, "sign-note", "/api/notes/{id}/sign", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Secret      string         `json:"secret,omitempty" maxLength:"1000"`
			Versions    map[string]int `json:"versions"`
			ListVersion int            `json:"listVersion"`
			Seen        string         `json:"seen,omitempty" maxLength:"64" doc:"Fingerprint of the text the signer saw"`
		}
	}) (*body[notes.NoteView], error) {
		_, err := s.app.Note.SignNote(ctx, who, in.ID, in.Body.Secret, in.Body.Versions, in.Body.ListVersion, in.Body.Seen)
		return s.noteNow(ctx, who, in.ID, err)
	})
	does(api, http.MethodPost, "amend-note", "/api/notes/{id}/amendments", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Secret string `json:"secret,omitempty" maxLength:"1000"`
			Text   string `json:"text"`
		}
	}) (*body[notes.NoteView], error) {
		_, err := s.app.Note.Amend(ctx, who, in.ID, in.Body.Secret, in.Body.Text)
		return s.noteNow(ctx, who, in.ID, err)
	})
	noteAct(api, "set-findings", "/api/notes/{id}/findings", func(ctx context.Context, who act.Actor, id string, in struct {
		Changes []FindingChange `json:"changes" maxItems:"400"`
	}) (notes.NoteView, error) {
		var cs []note.Change
		for _, c := range in.Changes {
			cs = append(cs, c.core())
		}
		return s.app.Note.SetFindings(ctx, who, id, cs)
	})
	// What is typed is clinical: it travels in the body.
	does(api, http.MethodPost, "read-line", "/api/findings/read", func(ctx context.Context, who act.Actor, in *body[struct {
		Area string   `json:"area" enum:"review,examination"`
		Text string   `json:"text" maxLength:"2000"`
		Rest []string `json:"rest" maxItems:"60"`
		Sex  string   `json:"sex" maxLength:"1"`
	}]) (*body[notes.LineRead], error) {
		out, err := s.app.Note.ReadLine(ctx, who, note.Area(in.Body.Area), in.Body.Text, in.Body.Rest, in.Body.Sex)
		return &body[notes.LineRead]{out}, err
	})
	does(api, http.MethodPost, "search-findings", "/api/findings/search", func(ctx context.Context, who act.Actor, in *body[struct {
		Patient string `json:"patient,omitempty" maxLength:"64"`
		Area    string `json:"area" enum:"review,examination"`
		System  string `json:"system" maxLength:"60"`
		Finding string `json:"finding" maxLength:"60"`
		After   string `json:"after,omitempty" maxLength:"64"`
	}]) (*body[notes.FoundNotes], error) {
		out, err := s.app.Note.SearchFindings(ctx, who, in.Body.Patient, note.Area(in.Body.Area), in.Body.System, in.Body.Finding, in.Body.After)
		return &body[notes.FoundNotes]{out}, err
	})
	noteAct(api, "ask", "/api/notes/{id}/interviews", func(ctx context.Context, who act.Actor, id string, in struct {
		Interview string `json:"interview" maxLength:"60"`
		Drop      bool   `json:"drop"`
	}) (notes.NoteView, error) {
		return s.app.Note.Ask(ctx, who, id, in.Interview, in.Drop)
	})
	noteAct(api, "answer", "/api/notes/{id}/answers", func(ctx context.Context, who act.Actor, id string, in struct {
		Interview string        `json:"interview" maxLength:"60"`
		Link      string        `json:"link" maxLength:"120"`
		Values    []note.Answer `json:"values" maxItems:"40"`
		Was       int           `json:"was"`
	}) (notes.NoteView, error) {
		return s.app.Note.Answer(ctx, who, id, in.Interview, in.Link, in.Values, in.Was)
	})
	does(api, http.MethodPost, "preview-forward", "/api/notes/{id}/forward/preview", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body forwardBody
	}) (*body[notes.Forwarded], error) {
		out, err := s.app.Note.PreviewForward(ctx, who, in.ID, in.Body.From, in.Body.wanted())
		return &body[notes.Forwarded]{out}, err
	})
	does(api, http.MethodPost, "forward", "/api/notes/{id}/forward", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body forwardBody
	}) (*body[notes.Forwarded], error) {
		out, err := s.app.Note.Forward(ctx, who, in.ID, in.Body.From, in.Body.wanted())
		return &body[notes.Forwarded]{out}, err
	})
	noteAct(api, "looked", "/api/notes/{id}/looked", func(ctx context.Context, who act.Actor, id string, in struct {
		Refs     []string `json:"refs" maxItems:"200"`
		Decision string   `json:"decision" enum:"keep,change,remove"`
		Text     string   `json:"text,omitempty" maxLength:"4000"`
	}) (notes.NoteView, error) {
		return s.app.Note.Looked(ctx, who, id, in.Refs, in.Decision, in.Text)
	})
	noteAct(api, "bring", "/api/notes/{id}/bring", func(ctx context.Context, who act.Actor, id string, in struct {
		Lines []string `json:"lines" maxItems:"200"`
	}) (notes.NoteView, error) {
		return s.app.Note.Bring(ctx, who, id, in.Lines)
	})
	// What is looked for is clinical: it travels in the body.
	does(api, http.MethodPost, "beside", "/api/notes/{id}/beside", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Words string `json:"words" maxLength:"200"`
			Kind  string `json:"kind" enum:"note,result,history,document,"`
			After string `json:"after" maxLength:"80"`
		}
	}) (*body[notes.BesideView], error) {
		out, err := s.app.Note.Beside(ctx, who, in.ID, in.Body.Words, in.Body.Kind, in.Body.After)
		return &body[notes.BesideView]{out}, err
	})
	get(api, "last-findings", "/api/notes/{id}/last", func(ctx context.Context, who act.Actor, in *PathID) ([]notes.LastSystem, error) {
		return s.app.Note.LastFindings(ctx, who, in.ID)
	})
	noteAct(api, "save-drawing", "/api/notes/{id}/drawings", func(ctx context.Context, who act.Actor, id string, in struct {
		ID      string `json:"id" maxLength:"64"`
		Outline string `json:"outline" maxLength:"20"`
		Caption string `json:"caption" maxLength:"200"`
		Strokes string `json:"strokes"`
		Version int    `json:"version"`
	}) (notes.NoteView, error) {
		return s.app.Note.SaveDrawing(ctx, who, id, notes.DrawingView{ID: in.ID, Outline: in.Outline, Caption: in.Caption, Strokes: in.Strokes,
			Version: in.Version})
	})
	get(api, "outlines", "/api/outlines", func(_ context.Context, _ act.Actor, _ *nothing) (map[string]string, error) {
		return note.Outlines, nil
	})
	noteAct(api, "leave-note", "/api/notes/{id}/leave", func(ctx context.Context, who act.Actor, id string, in struct {
		Staff string `json:"staff" maxLength:"64"`
		Words string `json:"words" maxLength:"500"`
	}) (notes.NoteView, error) {
		return s.app.Note.LeaveNote(ctx, who, id, in.Staff, in.Words)
	})
	get(api, "closing-list", "/api/notes/{id}/closing", func(ctx context.Context, who act.Actor, in *PathID) (notes.ClosingView, error) {
		return s.app.Note.ClosingList(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "retract-note", "/api/notes/{id}/retract", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Secret  string `json:"secret,omitempty" maxLength:"1000"`
			Reason  string `json:"reason" maxLength:"2000"`
			Belongs string `json:"belongs,omitempty" maxLength:"64"`
		}
	}) (*body[notes.NoteView], error) {
		return s.noteNow(ctx, who, in.ID, s.app.Note.Retract(ctx, who, in.ID, in.Body.Secret, in.Body.Reason, in.Body.Belongs))
	})
	noteAct(api, "answer-advice", "/api/notes/{id}/advice", func(ctx context.Context, who act.Actor, id string, in struct {
		Key    string `json:"key" maxLength:"400"`
		Reason string `json:"reason,omitempty" maxLength:"500"`
	}) (notes.NoteView, error) {
		return s.app.Note.AnswerAdvice(ctx, who, id, in.Key, in.Reason)
	})
	noteAct(api, "dismiss-code", "/api/notes/{id}/supported/dismiss", func(ctx context.Context, who act.Actor, id string, in struct {
		Code string `json:"code" maxLength:"10"`
	}) (notes.NoteView, error) {
		return s.app.Note.DismissCode(ctx, who, id, in.Code)
	})
	noteAct(api, "say-of-diagnosis", "/api/notes/{id}/diagnoses/words", func(ctx context.Context, who act.Actor, id string,
		in note.Said) (notes.NoteView, error) {
		return s.app.Note.SayOfDiagnosis(ctx, who, id, in)
	})
	noteAct(api, "join-diagnosis", "/api/notes/{id}/diagnoses/join", func(ctx context.Context, who act.Actor, id string, in struct {
		Code string `json:"code" maxLength:"10"`
		On   bool   `json:"on"`
	}) (notes.NoteView, error) {
		return s.app.Note.JoinDiagnosis(ctx, who, id, in.Code, in.On)
	})
}

// Started is the note of a visit that was started.
type Started struct {
	NoteID string `json:"noteId"`
}

// noteNow answers an act that was done with the note as it is now.
func (s *server) noteNow(ctx context.Context, who act.Actor, id string, err error) (*body[notes.NoteView], error) {
	if err != nil {
		return nil, err
	}
	out, err := s.app.Note.Note(ctx, who, id)
	return &body[notes.NoteView]{out}, err
}

// noteAct registers a change of a draft: it answers with the note as it is then.
func noteAct[B any](api huma.API, name, path string, f func(context.Context, act.Actor, string, B) (notes.NoteView, error)) {
	does(api, http.MethodPost, name, path, func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body B
	}) (*body[notes.NoteView], error) {
		out, err := f(ctx, who, in.ID, in.Body)
		return &body[notes.NoteView]{out}, err
	})
}

// FindingChange is one act on findings; what does not concern it is left out.
type FindingChange struct {
	Area     string   `json:"area" enum:"review,examination"`
	System   string   `json:"system,omitempty" maxLength:"60"`
	Finding  string   `json:"finding,omitempty" maxLength:"60"`
	State    string   `json:"state,omitempty" enum:"present,absent,normal,left out,remark,"`
	Side     string   `json:"side,omitempty" maxLength:"10"`
	Severity string   `json:"severity,omitempty" maxLength:"10"`
	Duration string   `json:"duration,omitempty" maxLength:"20"`
	Words    []string `json:"words,omitempty" maxItems:"20"`
	Remark   string   `json:"remark,omitempty" maxLength:"1000"`
	Clear    bool     `json:"clear,omitempty"`
	Rest     []string `json:"rest,omitempty" maxItems:"60"`
	Bring    bool     `json:"bring,omitempty"`
	Was      int      `json:"was,omitempty" doc:"Version the change was made on; -1 for a line or the rest"`
}

func (c FindingChange) core() note.Change {
	return note.Change{Area: note.Area(c.Area), System: c.System, Finding: c.Finding, State: note.State(c.State), Side: c.Side,
		Severity: c.Severity, Duration: c.Duration, Words: c.Words, Remark: c.Remark, Clear: c.Clear, Rest: c.Rest, Bring: c.Bring, Was: c.Was}
}

type forwardBody struct {
	From    string `json:"from" maxLength:"64"`
	Part    string `json:"part,omitempty" enum:"subjective,function,objective,assessment,plan,remarks,"`
	Area    string `json:"area,omitempty" enum:"review,examination,"`
	System  string `json:"system,omitempty" maxLength:"60"`
	Finding string `json:"finding,omitempty" maxLength:"60"`
	Replace bool   `json:"replace"`
}

func (f forwardBody) wanted() note.Wanted {
	return note.Wanted{Part: note.Part(f.Part), Area: note.Area(f.Area), System: f.System, Finding: f.Finding, Replace: f.Replace}
}
