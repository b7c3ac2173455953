package gauge

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"

	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// Basis is the same as long as an output group sounds the same without its correction: a sum over all that reaches it, and the sounds of
// the takes among it.
func Basis(r *reel.Reel, group string, sound SoundOf) (string, error) {
	heard, err := weave.Reaching(r.Uncorrected(group), weave.Groups([]string{group}))
	if err != nil {
		return "", err
	}
	heard = weave.Bare(heard)
	sounds := map[string]string{}
	for _, take := range heard.TakesHeard() {
		if sounds[take], err = sound(take); err != nil {
			return "", err
		}
	}
	text, err := json.Marshal(struct {
		Reel   *reel.Reel
		Sounds map[string]string
	}{heard, sounds})
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:16]), err
}
