package changes

import (
	"fmt"

	"example.net/everypost/internal/core/guard"
)

// BlockedError names the findings that keep a change from being pushed.
type BlockedError struct {
	Number   int64
	Findings []guard.Finding
}

func (e *BlockedError) Error() string {
	if len(e.Findings) == 1 {
		return fmt.Sprintf("change %d cannot be pushed: a finding is in the way", e.Number)
	}
	return fmt.Sprintf("change %d cannot be pushed: %d findings are in the way", e.Number, len(e.Findings))
}

// Unwrap makes it an ErrBlocked.
func (e *BlockedError) Unwrap() error { return ErrBlocked }
