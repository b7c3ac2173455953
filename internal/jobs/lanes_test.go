package jobs

import (
	"os"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Each kind of work that the database allows is done in a lane that has slots, and nothing is done that it does not allow.
func TestEachKindOfWorkHasALane(t *testing.T) {
	b, err := os.ReadFile("../store/migrations/018_revise.sql") // the newest that says so
	require.NoError(t, err)
	check := regexp.MustCompile(`(?s)check \(kind in \(([^)]*)\)`).FindSubmatch(b)
	require.NotNil(t, check)
	allowed := map[string]bool{}
	for _, m := range regexp.MustCompile(`'(\w+)'`).FindAllSubmatch(check[1], -1) {
		allowed[string(m[1])] = true
		k, known := kinds[string(m[1])]
		assert.True(t, known, "%s is done", m[1])
		assert.Positive(t, slots[k.lane], "%s has slots", m[1])
	}
	for kind := range kinds {
		assert.True(t, allowed[kind], "%s can be stored", kind)
	}
}
