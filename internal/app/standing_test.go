package app_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/app/apptest"
	"zestyloom/internal/store"
)

// What a production is at: what has arrived and what has no place yet, its reels, who works in it, and the last delivery with its verdict.
func TestStanding(t *testing.T) {
	s := apptest.Start(t)
	at := func(production string) (out store.Standing) {
		s.OK("GET", "/productions/"+production+"/standing", nil, &out)
		return out
	}
	production, v := crossing(t, s)
	assert.Equal(t, store.Standing{Reels: []store.StandingReel{}, People: []string{}}, at(another(s)), "nothing of another production")
	before := at(production)
	assert.Equal(t, len(s.Takes(production)), before.Takes)
	require.NotEmpty(t, before.Reels)
	assert.Equal(t, v.ID, before.Reels[0].ID)
	assert.NotEmpty(t, before.Reels[0].ChangedBy)
	assert.Contains(t, before.People, before.Reels[0].ChangedBy)
	assert.Nil(t, before.Delivery)
	assert.Zero(t, before.Working)

	p := printed(s, production, v, map[string]any{"packaging": "per-group"})
	after := at(production)
	require.NotNil(t, after.Delivery)
	assert.Equal(t, p.ID, after.Delivery.Print)
	assert.Equal(t, v.Name, after.Delivery.ReelName)
	want := "unchecked"
	if p.Receipt != nil {
		want = map[bool]string{true: "accepted", false: "refused"}[p.Receipt.Pass]
	}
	assert.Equal(t, want, after.Delivery.Verdict)
	s.Refused(404, "GET", "/productions/00000000-0000-0000-0000-000000000000/standing", nil)
}
