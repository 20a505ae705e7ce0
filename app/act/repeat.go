package act

import (
	"context"
	"log/slog"
	"time"
)

// Repeat does something at once and then every so often, until ctx ends; what fails is logged under the words given and tried again.
func Repeat(ctx context.Context, every time.Duration, failed string, do func(context.Context) error) {
	for ctx.Err() == nil {
		if err := do(ctx); err != nil && ctx.Err() == nil {
			slog.Error(failed, "error", err)
		}
		select {
		case <-ctx.Done():
		case <-time.After(every):
		}
	}
}
