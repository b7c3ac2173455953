package store_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/cutlist"
	"zestyloom/core/fault"
	"zestyloom/core/timecode"
	"zestyloom/internal/store"
	"zestyloom/internal/store/storetest"
)

func TestCutListsAreKeptAsTheyWereLaid(t *testing.T) {
	s := storetest.Open(t)
	p, err := s.CreateProduction(t.Context(), "The Lantern Ferry", timecode.Rate{Num: 25, Den: 1})
	require.NoError(t, err)
	c := store.Cut{Title: "cut 1", FrameRate: timecode.Rate{Num: 30000, Den: 1001, Drop: true}, By: -48000, Notes: []string{"Line 3"},
		Entries: []cutlist.Entry{
			{Event: cutlist.Event{ID: "001", Sound: true, Roll: "LF03", From: 1, To: 9, SourceIn: 5, Speed: 0.5, Channels: []int{1, 2}},
				Found: cutlist.Found{Take: "t", Title: "12A/3", Offset: 4, Tail: 1, By: "roll"}},
			{Event: cutlist.Event{ID: "002", Picture: true, From: 9, To: 12}, Found: cutlist.Found{Why: "none"}},
		}}
	id, err := s.AddCutList(t.Context(), p.ID, "  "+strings.Repeat("é", 300), c)
	require.NoError(t, err)
	back, err := s.CutList(t.Context(), id)
	require.NoError(t, err)
	assert.Equal(t, c, back.Cut)
	assert.Equal(t, strings.Repeat("é", 200), back.Name)
	_, err = s.CutList(t.Context(), "nonsense")
	assert.Equal(t, fault.NotFound, fault.KindOf(err))
	_, err = s.AddCutList(t.Context(), "nonsense", "x", c)
	assert.Equal(t, fault.NotFound, fault.KindOf(err))
}
