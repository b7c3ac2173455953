package reel

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A reel and a change as they were stored before there were mixes, places and feeds of groups: they open as they were,
// and what is new can be done to them and taken back.
func TestReelsOfBeforeOpenAsTheyWere(t *testing.T) {
	const stored = `{"head":{"name":"Crossing","sampleRate":48000,"frameRate":{"num":25,"den":1,"drop":false},"start":1728000000,"panLaw":3,"spec":"a","next":9},
		"stems":{"DX":{"id":"DX","name":"Dialogue","labels":["L","R"],"order":1}},
		"tracks":{"t1":{"id":"t1","name":"Boom","labels":["M"],"stem":"DX","suggested":true,"feed":{"dual":false,"pan":-0.5},"gainDB":-2,"mute":false,"order":1,"pan":[{"at":5,"value":1}]}},
		"clips":{"c1":{"id":"c1","track":"t1","take":"x","name":"Boom","channels":[0],"start":1728000000,"offset":0,"length":48000,"gainDB":0,"tie":""}},
		"groups":{"dialogue":{"id":"dialogue","name":"Dialogue","tag":"DX","layout":"stereo","labels":["L","R"],"stems":["DX"],"order":1}},
		"knots":{"stem DX 0 > dialogue/L":{"id":"stem DX 0 > dialogue/L","row":"stem","from":"DX","channel":0,"output":"dialogue/L","gainDB":0}}}`
	const change = `{"tracks":[{"id":"t1","before":{"id":"t1","name":"Boom","labels":["M"],"stem":"DX","suggested":true,"feed":{"dual":false,"pan":-0.5},"gainDB":-2,"mute":false,"order":1,"pan":[{"at":5,"value":1}]},
		"after":{"id":"t1","name":"Boom","labels":["M"],"stem":"DX","suggested":false,"feed":{"dual":true,"pan":-0.5},"gainDB":-2,"mute":false,"order":1}}]}`
	var r Reel
	require.NoError(t, json.Unmarshal([]byte(stored), &r))
	var c Change
	require.NoError(t, json.Unmarshal([]byte(change), &c))
	require.NoError(t, r.Replay(c))
	assert.True(t, r.Tracks["t1"].Feed.Dual)
	assert.False(t, r.Tracks["t1"].Feed.Placed, "it goes between the front pair, as it did")
	before, err := json.Marshal(&r)
	require.NoError(t, err)
	mixed, _ := do(t, &r, SetMix{Name: "Full", Labels: []string{"L", "R"}, Rest: true})
	do(t, &r, SetTrack{Track: "t1", Placed: ptr(true), Front: ptr(1.0)})
	do(t, &r, SetTrack{Track: "t1", Placed: ptr(false), Front: ptr(0.0)})
	require.NoError(t, r.Apply(mixed.Inverse()))
	require.NoError(t, r.Replay(c.Inverse()))
	require.NoError(t, r.Replay(c))
	r.Head.Next = 9
	after, err := json.Marshal(&r)
	require.NoError(t, err)
	assert.JSONEq(t, string(before), string(after))
}
