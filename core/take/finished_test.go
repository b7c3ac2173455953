package take

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestReadFinished(t *testing.T) {
	for name, want := range map[string]Finished{
		"MixL":                         {Named{Role: FullMixRole, Label: "L", Base: "mix"}},
		"Mix_R":                        {Named{Role: FullMixRole, Label: "R", Base: "mix"}},
		"FullMix 5.1":                  {Named{Role: FullMixRole, Layout: "5.1", Base: "full mix 5.1"}},
		"Crossing promo MIX.L":         {Named{Role: FullMixRole, Label: "L", Base: "crossing promo mix"}},
		"Crossing promo DIALOGUE":      {Named{Role: DialogueRole, Base: "crossing promo dialogue"}},
		"M&E":                          {Named{Role: MERole, Base: "m&e"}},
		"Ferry_ME_Ls":                  {Named{Role: MERole, Label: "Ls", Base: "ferry me"}},
		"ferry music and effects left": {Named{Role: MERole, Label: "L", Base: "ferry music and effects"}},
		"DX":                           {Named{Role: DialogueRole, Base: "dx"}},
		"VO":                           {Named{Role: NarrationRole, Base: "vo"}},
		"Lantern-MX-R":                 {Named{Role: MusicRole, Label: "R", Base: "lantern mx"}},
		"LF_SFX_C":                     {Named{Role: EffectsRole, Label: "C", Base: "lf sfx"}},
		"MXLs":                         {Named{Role: MusicRole, Label: "Ls", Base: "mx"}},
		"mixr":                         {Named{Role: FullMixRole, Label: "R", Base: "mix"}},
		"bgs":                          {Named{Role: AmbienceRole, Base: "bgs"}},
		"Ferry DX LFE":                 {Named{Role: DialogueRole, Label: "LFE", Base: "ferry dx"}},
	} {
		f, ok := ReadFinished(name, nil)
		assert.True(t, ok, name)
		assert.Equal(t, want, f, name)
	}
	for _, name := range []string{"", "Boom", "12A/3", "Tell me", "Remix", "Dxb", "L", "River bed", "Wheelhouse plant", "Mixture"} {
		_, ok := ReadFinished(name, nil)
		assert.False(t, ok, name)
	}
}
