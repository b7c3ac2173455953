package engine

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
)

// known is what commands are told of the shelf.
func (s shelf) known() reel.Takes {
	takes := reel.Takes{}
	for name, f := range s {
		takes[name] = reel.TakeInfo{Title: name, Channels: f.Channels, Frames: f.Frames, SampleRate: f.SampleRate}
	}
	return takes
}

// Random JSON as commands, decoded, planned, applied and rendered: nothing panics, and what is accepted sounds as the
// obvious renderer says, wherever in the reel.
func FuzzRender(f *testing.F) {
	base, s := everyEdit(f)
	clip := base.ClipList()[3]
	fill := strings.NewReplacer("CLIP", clip.ID, "TRACK", clip.Track, "FROM", fmt.Sprint(clip.Start+900), "TO", fmt.Sprint(clip.Start+3000))
	for kind, body := range map[string]string{
		"moveClips": `{"clips":["CLIP"],"by":700,"alone":true,"untie":true,"add":true}`, "trimClip": `{"clip":"CLIP","edge":"end","by":-900}`,
		"slipClip": `{"clip":"CLIP","by":-50,"alone":true,"untie":true}`, "cutClips": `{"at":FROM}`, "removeClips": `{"clips":["CLIP"]}`,
		"cutOut": `{"from":FROM,"to":TO,"close":true,"untie":true}`, "splitClip": `{"clip":"CLIP"}`, "joinClips": `{"clips":["CLIP"]}`,
		"setClip": `{"clip":"CLIP","gainDB":-3,"fadeIn":{"length":700,"curve":"s"}}`, "readChannels": `{"clip":"CLIP","channels":[0]}`,
		"swapTake": `{"clip":"CLIP","take":"other","shift":9}`, "untie": `{"clips":["CLIP"]}`, "removeTracks": `{"tracks":["TRACK"]}`,
		"setLane": `{"clip":"CLIP","channel":0,"gainDB":-3,"delay":7,"invert":true}`, "cutLane": `{"clip":"CLIP","channel":0,"at":FROM}`,
		"hush": `{"clip":"CLIP","channel":-1,"from":FROM,"to":TO}`, "restore": `{"clip":"CLIP","channel":-1,"from":FROM,"to":TO}`,
		"dip":       `{"clip":"CLIP","channel":0,"from":FROM,"to":TO,"gainDB":-3,"ramp":90}`,
		"borrow":    `{"clip":"CLIP","channel":0,"from":FROM,"to":TO,"take":"other","takeChannel":1,"offset":5,"fade":{"length":90}}`,
		"rangeGain": `{"of":"track","ids":["TRACK"],"from":FROM,"to":TO,"gainDB":-3,"ramp":70}`,
		"setCurve":  `{"of":"track","id":"TRACK","what":"pan","points":[{"at":FROM,"value":-1},{"at":TO,"value":1}]}`,
		"setTrack":  `{"track":"TRACK","pan":0.3,"gainDB":2,"dual":true,"stem":"FX"}`, "setReel": `{"panLaw":6,"start":5}`,
		"setKnots":   `{"knots":[{"row":"track","from":"TRACK","channel":0,"output":"mix/L","gainDB":-1}]}`,
		"clearKnots": `{"at":[{"row":"stem","from":"DX","output":"mix/L"}]}`,
		"several":    `{"commands":[{"kind":"setClip","command":{"clip":"CLIP","mute":true}},{"kind":"cutClips","command":{"at":FROM}}]}`,
		"pasteClips": `{"clips":[{"id":"x","track":"TRACK","take":"other","name":"x","channels":[0],"start":FROM,"offset":1,"length":900,"gainDB":0,"tie":""}],"tracks":[{"id":"TRACK","name":"x","labels":["M"],"stem":"DX"}]}`,
	} {
		f.Add(kind, fill.Replace(body), clip.Start+800-start)
	}
	f.Fuzz(func(t *testing.T, kind, body string, at int64) {
		c, err := reel.Decode(kind, []byte(body))
		if err != nil {
			return
		}
		r, err := reel.Try(base, c, s.known())
		if err != nil {
			require.NotEmpty(t, fault.KindOf(err), "%v", err)
			return
		}
		at = start + at%80_000
		const frames = 300
		want, got := slow(t, r, s, at, frames), render(t, r, s, at, frames, 111)
		for c := range want {
			for i, x := range want[c] {
				require.InDelta(t, x, got[c][i], 1e-10*math.Max(1, math.Abs(x)), "output %d frame %d", c, i)
			}
		}
	})
}
