package demo

import (
	"fmt"
	"math/rand/v2"

	"zestyloom/core/reel"
)

// EpisodeReel is the name of the demo's fourth reel: as dense as an episode is, 48 tracks and some 900 clips in 22 minutes, cut
// from the sounds that are there.
const EpisodeReel = "Reel 4, The whole night"

const (
	episodeSeconds = 22 * 60
	episodeScenes  = 22
)

// EpisodeTake is what the dense reel needs to know of a take.
type EpisodeTake struct {
	ID     string
	Frames int64
}

// part is a track of the dense reel and how it is cut.
type part struct {
	name, stem, strand, folder string
	labels                     []string
	file                       string // empty: the microphones of the scene's take
	channels                   []int  // from 0; of the scene's take that of the microphone
	mic                        string // of the scene's take
	share                      float64
	shortest, longest, gap     float64 // seconds
	gainDB                     float64
}

var (
	mono     = []string{"M"}
	stereo   = []string{"L", "R"}
	surround = []string{"L", "R", "C", "LFE", "Ls", "Rs"}
	foa      = []string{"ACN0", "ACN1", "ACN2", "ACN3"}
)

// mics gives the channel of each microphone in the takes that scenes are cut from.
var mics = []struct {
	file    string
	channel map[string]int
}{
	{"LF03_12A_T03.wav", map[string]int{"boom": 2, "ines": 3, "tobiah": 4, "plant": 5, "radio": 7}},
	{"LF03_12B_T01.wav", map[string]int{"boom": 2, "ines": 3, "radio": 7}},
	{"LF03_14_T01.wav", map[string]int{"boom": 0, "ines": 1, "tobiah": 2}},
}

// heard is a track of a microphone: share is the part of the lines that it plays.
func heard(name, strand, mic string, share float64) part {
	return part{name: name, stem: "DX", strand: strand, folder: "Dialogue", labels: mono, mic: mic, share: share}
}

// single is a track of single sounds.
func single(name, folder, file string, longest, gap, gainDB float64) part {
	return part{name: name, stem: "FX", folder: folder, labels: mono, file: file, channels: []int{0}, shortest: 0.6, longest: longest,
		gap: gap, gainDB: gainDB}
}

// under is a track of long sounds.
func under(name, stem, folder string, labels []string, file string, gap, gainDB float64) part {
	channels := make([]int, len(labels))
	for i := range channels {
		channels[i] = i
	}
	return part{name: name, stem: stem, folder: folder, labels: labels, file: file, channels: channels, shortest: 12, longest: 20, gap: gap,
		gainDB: gainDB}
}

func episodeParts() []part {
	words := func(name, strand, file string, gap float64) part {
		return part{name: name, stem: "NX", strand: strand, folder: "Narration", labels: mono, file: file, channels: []int{0}, shortest: 4,
			longest: 8, gap: gap}
	}
	return []part{
		heard("Boom A", "", "boom", 0.62), heard("Boom B", "", "boom", 0.38),
		heard("Ines lav", "Ines Calder", "ines", 0.62), heard("Ines lav 2", "Ines Calder", "ines", 0.2),
		heard("Ines wild lines", "Ines Calder", "ines", 0.08), heard("Ines alternates", "Ines Calder", "ines", 0.1),
		heard("Tobiah lav", "Tobiah Renn", "tobiah", 0.7), heard("Tobiah lav 2", "Tobiah Renn", "tobiah", 0.25),
		heard("Tobiah wild lines", "Tobiah Renn", "tobiah", 0.1), heard("Tobiah alternates", "Tobiah Renn", "tobiah", 0.1),
		heard("Dispatcher radio", "Dispatcher", "radio", 0.7), heard("Dispatcher clean", "Dispatcher", "radio", 0.3),
		heard("Wheelhouse plant", "", "plant", 0.5), heard("Deck boom", "", "boom", 0.2),
		{name: "Tone fill A", stem: "DX", folder: "Dialogue", labels: mono, file: "LF03_12A_T03.wav", channels: []int{2}, shortest: 0.8,
			longest: 2.5, gap: 45},
		{name: "Tone fill B", stem: "DX", folder: "Dialogue", labels: mono, file: "LF03_14_T01.wav", channels: []int{0}, shortest: 0.8,
			longest: 2.5, gap: 60},
		words("Narration English", "English", "Narration English.wav", 80), words("Narration Portuguese", "Portuguese",
			"Narration Portuguese.wav", 80),
		under("Accordion cue", "MX", "Music", stereo, "Accordion cue.wav", 120, -1.5),
		under("Accordion cue 2", "MX", "Music", stereo, "Accordion cue.wav", 160, -3),
		under("Ferry waltz", "MX", "Music", stereo, "Ferry waltz", 130, -2),
		under("Ferry waltz 2", "MX", "Music", stereo, "Ferry waltz", 170, -3), under("Radio music", "MX", "Music", stereo, "Ferry waltz", 240,
			-18), under("Stings", "MX", "Music", stereo, "Accordion cue.wav", 200, -6),
		single("Winch", "Ferry", "Winch.wav", 8, 40, -3), single("Winch handle", "Ferry", "Winch.wav", 2, 30, -8),
		single("Chain", "Ferry", "Chain.wav", 4, 40, -6), single("Chain on deck", "Ferry", "Chain.wav", 2, 30, -9),
		single("Bell", "Ferry", "Bell.wav", 4, 60, -3), single("Bell, far", "Ferry", "Bell.wav", 4, 90, -15),
		single("Cable", "Ferry", "Winch.wav", 6, 50, -12), single("Gangway", "Ferry", "Chain.wav", 3, 70, -8),
		single("Water at the hull", "Water", "LF03_wild_T01.wav", 6, 25, -2), single("Splashes", "Water", "LF03_wild_T01.wav", 1.5, 25, -4),
		single("Drips", "Water", "LF03_wild_T01.wav", 1, 30, -12),
		single("Footsteps Ines", "Foley", "Chain.wav", 1.2, 20, -16), single("Footsteps Tobiah", "Foley", "Chain.wav", 1.2, 24, -16),
		single("Ropes", "Foley", "Winch.wav", 1.5, 30, -14), single("Lantern", "Foley", "Bell.wav", 1, 40, -18),
		single("Doors", "Foley", "Winch.wav", 1, 60, -9),
		under("River bed", "AX", "Ambience", stereo, "River bed.wav", 14, -4), under("River bed 2", "AX", "Ambience", stereo, "River bed.wav", 40,
			-6), under("River bank", "AX", "Ambience", surround, "River bank", 35, -12),
		under("River bank, night", "AX", "Ambience", surround, "River bank", 60, -14),
		under("Deck field", "AX", "Ambience", foa, "Deck field.wav", 50, -10), under("Wheelhouse room", "AX", "Ambience", mono,
			"LF03_12A_T03.wav", 50, -6),
		under("Shore", "AX", "Ambience", stereo, "River bed.wav", 90, -9), under("Wind", "AX", "Ambience", mono, "LF03_wild_T01.wav", 80, -14),
	}
}

// EpisodeFiles are the takes that the dense reel is cut from.
func EpisodeFiles() []string {
	seen, out := map[string]bool{}, []string{}
	add := func(file string) {
		if file != "" && !seen[file] {
			seen[file] = true
			out = append(out, file)
		}
	}
	for _, m := range mics {
		add(m.file)
	}
	for _, p := range episodeParts() {
		add(p.file)
	}
	return out
}

// EpisodeEdits lay the dense reel out, the same at every run: lines of dialogue on the microphones that heard them, single sounds
// and beds under them, in a 5.1 mix with its stereo, an M&E and a second language, 16 channels in all.
func EpisodeEdits(takes map[string]EpisodeTake) []Edit {
	parts := episodeParts()
	paste := func(r *reel.Reel) (reel.Command, error) {
		c := reel.PasteClips{}
		for i, p := range parts {
			c.Tracks = append(c.Tracks, reel.Track{ID: fmt.Sprint(i), Name: p.name, Labels: p.labels, Stem: p.stem, Strand: p.strand,
				GainDB: p.gainDB})
		}
		e := episode{start: r.Head.Start, takes: takes, parts: parts, chance: rand.New(rand.NewPCG(22, 48))}
		e.dialogue()
		for i, p := range parts {
			if p.mic == "" {
				e.scatter(i)
			}
		}
		c.Clips = e.clips
		return c, nil
	}
	edits := append([]Edit{paste}, wideStems()...)
	for _, p := range parts {
		edits = append(edits, folder(p.folder, p.name)...)
	}
	yes, front, lfe := true, 1.0, -30.0
	for _, p := range parts {
		if len(p.labels) == 1 && p.stem != "AX" {
			edits = append(edits, onTrack(p.name, func(_ *reel.Reel, id string) reel.Command {
				return reel.SetTrack{Track: id, Placed: &yes, Front: &front}
			}))
		}
	}
	edits = append(edits, onTrack("Winch", func(_ *reel.Reel, id string) reel.Command { return reel.SetTrack{Track: id, LFEDB: &lfe} }),
		specGroupsGo)
	edits = append(edits, twoLanguages()...)
	return append(edits, ofMix("Full mix 5.1", "MIX", "5.1", "English"), foldOf("Stereo", "ST", "Full mix 5.1"),
		ofMix("M&E 5.1", "ME", "5.1", "M&E"), ofMix("Portuguese", "POR", "stereo", "Portuguese"))
}

// episode lays clips.
type episode struct {
	start  int64
	takes  map[string]EpisodeTake
	parts  []part
	chance *rand.Rand
	clips  []reel.Clip
}

func (e *episode) between(a, b float64) float64 { return a + e.chance.Float64()*(b-a) }

// put lays a clip, if the take is long enough; from and length are in seconds.
func (e *episode) put(track int, file string, channels []int, name, tie string, at, offset, length, fade float64) {
	t, p := e.takes[file], e.parts[track]
	c := reel.Clip{Track: fmt.Sprint(track), Take: t.ID, Name: name, Channels: channels, Frames: t.Frames, Tie: tie,
		Start: e.start + int64(at*rate), Offset: int64(offset * rate), Length: int64(length * rate)}
	c.Length = min(c.Length, t.Frames-c.Offset)
	if c.Length < rate/4 {
		return
	}
	c.FadeIn, c.FadeOut = reel.Fade{Length: min(int64(fade*rate), c.Length/3)}, reel.Fade{Length: min(int64(fade*rate), c.Length/3)}
	c.Stem = p.stem
	home := c.Start - c.Offset
	c.Home = &home
	e.clips = append(e.clips, c)
}

// dialogue lays each scene's lines, each on the microphones that heard it, tied.
func (e *episode) dialogue() {
	for scene := range episodeScenes {
		from := float64(scene) * episodeSeconds / episodeScenes
		m := mics[scene%len(mics)]
		at, offset := from+e.between(1, 4), e.between(0, 2)
		for line := 0; at < from+episodeSeconds/episodeScenes-5; line++ {
			length := e.between(2.5, 6.5)
			laid := map[int]bool{} // a microphone plays on one track at a time, or it would be twice as loud
			for i, p := range e.parts {
				if channel, there := m.channel[p.mic]; there && e.chance.Float64() < p.share && !laid[channel] {
					laid[channel] = true
					e.put(i, m.file, []int{channel}, fmt.Sprintf("%d/%d", scene+1, line+1), fmt.Sprintf("s%d l%d", scene, line), at, offset, length, 0.01)
				}
			}
			at += length + e.between(1.2, 7)
			if offset += length; offset > 12 {
				offset = e.between(0, 3)
			}
		}
	}
}

// scatter lays a track's sounds over the whole reel.
func (e *episode) scatter(track int) {
	p := e.parts[track]
	for at := e.between(0, p.gap); at < episodeSeconds-p.longest; {
		length := e.between(p.shortest, p.longest)
		have := float64(e.takes[p.file].Frames) / rate
		offset := e.between(0, max(0, have-length))
		fade := 0.02
		if p.longest > 10 {
			fade, offset = 1.5, 0
		}
		e.put(track, p.file, p.channels, p.name, "", at, offset, length, fade)
		at += length + e.between(1, 3.4)*p.gap
	}
}
