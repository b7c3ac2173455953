package take

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestReadFinished(t *testing.T) {
	for name, want := range map[string]Finished{
		"MixL":                         {FullMixRole, "L", "mix"},
		"Mix_R":                        {FullMixRole, "R", "mix"},
		"FullMix 5.1":                  {FullMixRole, "", "full mix 5.1"},
		"Crossing promo MIX.L":         {FullMixRole, "L", "crossing promo mix"},
		"Crossing promo DIALOGUE":      {DialogueRole, "", "crossing promo dialogue"},
		"M&E":                          {MERole, "", "m&e"},
		"Ferry_ME_Ls":                  {MERole, "Ls", "ferry me"},
		"ferry music and effects left": {MERole, "L", "ferry music and effects"},
		"DX":                           {DialogueRole, "", "dx"},
		"VO":                           {NarrationRole, "", "vo"},
		"Lantern-MX-R":                 {MusicRole, "R", "lantern mx"},
		"LF_SFX_C":                     {EffectsRole, "C", "lf sfx"},
		"MXLs":                         {MusicRole, "Ls", "mx"},
		"mixr":                         {FullMixRole, "R", "mix"},
		"bgs":                          {AmbienceRole, "", "bgs"},
		"Ferry DX LFE":                 {DialogueRole, "LFE", "ferry dx"},
	} {
		f, ok := ReadFinished(name)
		assert.True(t, ok, name)
		assert.Equal(t, want, f, name)
	}
	for _, name := range []string{"", "Boom", "12A/3", "Tell me", "Remix", "Dxb", "L", "River bed", "Wheelhouse plant", "Mixture"} {
		_, ok := ReadFinished(name)
		assert.False(t, ok, name)
	}
}
