package demo

import (
	"encoding/binary"
	"math"
	"path/filepath"

	"zestyloom/core/wave"
)

// file is a file of the sound library.
type file struct {
	name string
	make func() ([]sound, error)
	chna []string // pack format of each channel (ITU-R BS.2094), where the file says what its channels are
}

func plain(make func() []sound) func() ([]sound, error) {
	return func() ([]sound, error) { return make(), nil }
}

// bed is the river on one of the channels of a surround recording.
func bed(seed uint64) func() ([]sound, error) {
	return plain(func() []sound { return []sound{river(30, seed).toPeak(-18).fade(0.5, 1)} })
}

func narration(name string) func() ([]sound, error) {
	return func() ([]sound, error) {
		v, err := voice(name)
		if err != nil {
			return nil, err
		}
		return []sound{silence(float64(len(v))/rate+2).add(v.toPeak(-8), 1, 1).add(noise(float64(len(v))/rate+2, 71), 0, 0.00008)}, nil
	}
}

// sounds is the library, but for what the cameras and the editor made.
var sounds = []file{
	{name: "music/Accordion cue.wav", make: plain(func() []sound { l, r := accordion(62); return []sound{l.toPeak(-12), r.toPeak(-12)} })},
	{name: "music/Ferry waltz.L.wav", make: plain(func() []sound { l, _ := accordion(24); return []sound{l.lowPass(3500).toPeak(-13)} })},
	{name: "music/Ferry waltz.R.wav", make: plain(func() []sound { _, r := accordion(24); return []sound{r.lowPass(3500).toPeak(-13)} })},
	{name: "effects/Winch.wav", make: plain(func() []sound { return []sound{winch(14, 31).toPeak(-9)} })},
	{name: "effects/Chain.wav", make: plain(func() []sound { return []sound{chain(5, 41).toPeak(-10)} })},
	{name: "effects/Bell.wav", make: plain(func() []sound { return []sound{bell(7, 0.1, 2.4).toPeak(-8)} })},
	{name: "effects/River bed.wav", make: plain(func() []sound {
		return []sound{river(95, 51).toPeak(-16).fade(1, 2), river(95, 61).toPeak(-16).fade(1, 2)}
	})},
	{name: "ambience/River bank L.wav", make: bed(201)},
	{name: "ambience/River bank R.wav", make: bed(211)},
	{name: "ambience/River bank C.wav", make: bed(221)},
	{name: "ambience/River bank LFE.wav", make: plain(func() []sound {
		return []sound{river(30,
			231).lowPass(80).lowPass(80).toPeak(-20).fade(0.5, 1)}
	})},
	{name: "ambience/River bank Ls.wav", make: bed(241)},
	{name: "ambience/River bank Rs.wav", make: bed(251)},
	{name: "ambience/Deck field.wav", make: plain(field), chna: []string{"AP_00040001", "AP_00040001", "AP_00040001", "AP_00040001"}},
	{name: "narration/Narration English.wav", make: narration("narrator-en")},
	{name: "narration/Narration Portuguese.wav", make: narration("narrator-pt")},
	{name: "promo/Crossing promo MIX.L.wav", make: promo(0)},
	{name: "promo/Crossing promo MIX.R.wav", make: promo(1)},
	{name: "promo/Crossing promo DIALOGUE.wav", make: promo(2)},
	{name: "promo/Crossing promo NARRATION.wav", make: promo(3)},
	{name: "promo/Crossing promo MUSIC.L.wav", make: promo(4)},
	{name: "promo/Crossing promo MUSIC.R.wav", make: promo(5)},
}

// promo gives one of the six mono files in which a finished mix came back: the mix left and right, its dialogue, its
// narration, and its music left and right, of which the mix is the sum.
func promo(which int) func() ([]sound, error) {
	return func() ([]sound, error) {
		const seconds = 14
		line, err := voice("ines-1")
		if err != nil {
			return nil, err
		}
		told, err := voice("narrator-en")
		if err != nil {
			return nil, err
		}
		left, right := accordion(seconds)
		dialogue := silence(seconds).add(line.toPeak(-12), 1, 1).fade(0.1, 1)
		narrator := silence(seconds).add(told.toPeak(-12), 5, 1).fade(0.1, 1)
		left, right = left.toPeak(-24).fade(0.1, 2), right.toPeak(-24).fade(0.1, 2)
		half := math.Sqrt2 / 2
		mixed := func(music sound) sound { return music.copied().add(dialogue, 0, half).add(narrator, 0, half) }
		return []sound{[]sound{mixed(left), mixed(right), dialogue, narrator, left, right}[which]}, nil
	}
}

// field is the deck as a first-order sound field (ACN, SN3D): water on both sides, and a bell that goes round once.
func field() []sound {
	const seconds = 20
	out := []sound{silence(seconds), silence(seconds), silence(seconds), silence(seconds)}
	place := func(s sound, azimuth func(t float64) float64) {
		for i, v := range s {
			a := azimuth(float64(i) / rate)
			out[0][i] += v
			out[1][i] += v * math.Sin(a)
			out[3][i] += v * math.Cos(a)
		}
	}
	for i, a := range []float64{math.Pi / 2, -math.Pi / 2, math.Pi} {
		place(river(seconds, 301+uint64(i)*10).toPeak(-26), func(float64) float64 { return a })
	}
	place(silence(seconds).add(bell(seconds-0.5, 0.1, 4, 8, 12, 16).toPeak(-14), 0, 1),
		func(t float64) float64 { return 2 * math.Pi * t / seconds })
	for _, c := range out {
		c.fade(0.3, 0.5)
	}
	return out
}

func (f file) write(dir string) error {
	return once(filepath.Join(dir, f.name), func() (wave.Header, []sound, error) {
		channels, err := f.make()
		h := wave.Header{}
		if f.chna != nil {
			h.Extra = []wave.RawChunk{{ID: "chna", Body: chna(f.chna)}}
		}
		return h, channels, err
	})
}

// chna says which pack each channel belongs to (ITU-R BS.2088).
func chna(packs []string) []byte {
	b := binary.LittleEndian.AppendUint16(nil, uint16(len(packs)))
	b = binary.LittleEndian.AppendUint16(b, uint16(len(packs)))
	for i, pack := range packs {
		b = binary.LittleEndian.AppendUint16(b, uint16(i+1))
		n := string(rune('1' + i))
		b = append(b, "ATU_0000000"+n+"AT_0004000"+n+"_01"...)
		b = append(append(b, pack...), 0)
	}
	return b
}
