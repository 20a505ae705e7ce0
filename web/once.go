package web

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"io"
	"net/http"
	"regexp"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"

	"deftledger/app/act"
)

var (
	requestName = regexp.MustCompile(`^[0-9A-Za-z_-]{8,64}$`)
	// secretField is left out of the hash of what was asked: a hash of it could be guessed at,
	// and a request sent again without it, because signing is open, is the same request.
	secretField = regexp.MustCompile(`"(?:secret|password)"\s*:\s*"(?:[^"\\]|\\.)*"\s*,?`)
)

// once answers a writing request under its Idempotency-Key: the same request gets the first
// answer, and another under the same key is refused.
func (s *server) once(ctx huma.Context, who act.Actor, id string, next func(huma.Context)) {
	c := humagin.Unwrap(ctx)
	refuse := func(err error) { problem(c.Writer, refusal(err)) }
	if !requestName.MatchString(id) {
		refuse(act.Refuse(act.Invalid, "An identifier of a request has 8 to 64 letters, digits, - and _."))
		return
	}
	limit := ctx.Operation().MaxBodyBytes
	if limit <= 0 {
		limit = usualBody
	}
	sent, err := io.ReadAll(io.LimitReader(c.Request.Body, limit+1))
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) || int64(len(sent)) > limit {
		refuse(&act.Refusal{Kind: act.TooLarge, Message: "That is too large to be taken."})
		return
	}
	if err != nil {
		refuse(act.Refuse(act.Invalid, "The request broke off. Send it again."))
		return
	}
	c.Request.Body = io.NopCloser(bytes.NewReader(sent))
	hash := sha256.Sum256(secretField.ReplaceAll(sent, nil))
	x := &act.Asking{ID: id, Operation: c.Request.Method + " " + c.Request.URL.Path, Hash: hash[:]}
	had, known, err := s.app.Before(c, who, x)
	switch {
	case err != nil:
		refuse(err)
		return
	case known && had.Status == 0 && ctx.Operation().DefaultStatus == http.StatusNoContent && had.At.Before(s.app.Began):
		// It was done, and the program ended before it had kept the answer, which holds nothing.
		c.Status(http.StatusNoContent)
		return
	case known && had.Status == 0:
		refuse(&act.Refusal{Kind: act.Conflict, Code: "done", Message: "This was done already, or is under way. Look again to see how it stands."})
		return
	case known:
		if had.Kind != "" {
			c.Header("Content-Type", had.Kind)
		}
		c.Status(had.Status)
		_, _ = c.Writer.Write(had.Answer)
		return
	}
	kept := &keeping{ResponseWriter: c.Writer}
	c.Writer = kept
	next(huma.WithContext(ctx, act.WithAsking(ctx.Context(), x)))
	if kept.Status()/100 == 2 {
		if err := s.app.Answered(context.WithoutCancel(c), x, kept.Status(), kept.Header().Get("Content-Type"), kept.body.Bytes()); err != nil {
			refusal(err) // it was done and answered; only a repetition would be told to look again
		}
	}
}

// keeping is a writer that keeps what it writes.
type keeping struct {
	gin.ResponseWriter
	body bytes.Buffer
}

func (k *keeping) Write(b []byte) (int, error) {
	k.body.Write(b)
	return k.ResponseWriter.Write(b)
}

func (k *keeping) WriteString(s string) (int, error) {
	k.body.WriteString(s)
	return k.ResponseWriter.WriteString(s)
}
