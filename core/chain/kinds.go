package chain

import "slices"

// Kind names a kind of processor.
type Kind string

// Those that there are.
const (
	HighPass   Kind = "high-pass"
	LowPass    Kind = "low-pass"
	LowShelf   Kind = "low-shelf"
	HighShelf  Kind = "high-shelf"
	Bell       Kind = "bell"
	Notch      Kind = "notch"
	Compressor Kind = "compressor"
	Expander   Kind = "expander"
	Gate       Kind = "gate"
	DeEsser    Kind = "de-esser"
	Limiter    Kind = "limiter"
	Hum        Kind = "hum"
	Noise      Kind = "noise"
	Click      Kind = "click"
	Gain       Kind = "gain"
	Polarity   Kind = "polarity"
	Delay      Kind = "delay"
	Width      Kind = "width"
	Leveller   Kind = "leveller"
	Match      Kind = "match"
)

// Words are all that there are.
func (Kind) Words() (list []string) {
	for _, a := range Kinds {
		list = append(list, string(a.Kind))
	}
	return list
}

// Parameter is a number that a kind of processor has.
type Parameter struct {
	Name    string  `json:"name"`
	Unit    string  `json:"unit"` // empty for a plain number
	Low     float64 `json:"low"`
	High    float64 `json:"high"`
	Default float64 `json:"default"`
	Log     bool    `json:"log,omitempty"`   // it is felt by its ratio
	Whole   float64 `json:"whole,omitempty"` // it is a multiple of this
	Fixed   bool    `json:"fixed,omitempty"` // it has no curve, as it changes how late the sound comes or how much is remembered
	About   string  `json:"about"`
}

// About is what there is to know of a kind.
type About struct {
	Kind       Kind        `json:"kind"`
	Title      string      `json:"title"`
	About      string      `json:"about"`
	Source     string      `json:"source"` // of its formula
	Parameters []Parameter `json:"parameters"`
	Keyed      bool        `json:"keyed,omitempty"`    // it may be driven by another signal
	Detector   bool        `json:"detector,omitempty"` // it goes by peaks or by the mean square
	Profile    bool        `json:"profile,omitempty"`  // it learns from a stretch
	Sets       bool        `json:"sets,omitempty"`     // it needs two sides
}

// Of gives a parameter.
func (a About) Of(name string) (Parameter, bool) {
	i := slices.IndexFunc(a.Parameters, func(p Parameter) bool { return p.Name == name })
	if i < 0 {
		return Parameter{}, false
	}
	return a.Parameters[i], true
}

// Look gives what there is to know of a kind.
func Look(k Kind) (About, bool) {
	i := slices.IndexFunc(Kinds, func(a About) bool { return a.Kind == k })
	if i < 0 {
		return About{}, false
	}
	return Kinds[i], true
}

const (
	cookbook = "W3C Audio EQ Cookbook"
	dynamics = "D. Giannoulis, M. Massberg, J. Reiss, JAES 60/6, 2012"
)

func frequency(low, high, usual float64, about string) Parameter {
	return Parameter{Name: "frequency", Unit: "Hz", Low: low, High: high, Default: usual, Log: true, About: about}
}

func q(high, usual float64) Parameter {
	return Parameter{Name: "q", Low: 0.1, High: high, Default: usual, Log: true, About: "How narrow it is"}
}

func gain(about string) Parameter {
	return Parameter{Name: "gain", Unit: "dB", Low: -24, High: 24, About: about}
}

var (
	slope = Parameter{Name: "slope", Unit: "dB an octave", Low: 6, High: 48, Default: 24, Whole: 6, Fixed: true,
		About: "How steeply it falls, as Butterworth's filter does"}
	threshold = Parameter{Name: "threshold", Unit: "dBFS", Low: -90, Default: -24, About: "Where it begins"}
	ratio     = Parameter{Name: "ratio", Low: 1, High: 50, Default: 3, Log: true, About: "How many dB become one"}
	knee      = Parameter{Name: "knee", Unit: "dB", High: 24, Default: 6, About: "Over how much it begins to act"}
	attack    = Parameter{Name: "attack", Unit: "ms", Low: 0.1, High: 250, Default: 10, Log: true,
		About: "How long it takes, when the level rises, to 63 % of a change in dB"}
	release = Parameter{Name: "release", Unit: "ms", Low: 5, High: 3000, Default: 120, Log: true,
		About: "How long it takes, when the level falls, to 63 % of a change in dB"}
	hold = Parameter{Name: "hold", Unit: "ms", Low: 5, High: 500, Default: 40, Log: true, Fixed: true,
		About: "How long it stays open after the last that was above"}
	ahead  = Parameter{Name: "ahead", Unit: "ms", High: 20, Fixed: true, About: "How far it looks ahead"}
	makeup = Parameter{Name: "makeup", Unit: "dB", Low: -24, High: 24, About: "Gain at the end"}
	most   = Parameter{Name: "range", Unit: "dB", High: 100, Default: 40, About: "How much it takes away at most"}
	lowCut = Parameter{Name: "keyHighPass", Unit: "Hz", High: 20_000, Fixed: true,
		About: "What lies below does not drive it; 0 for all"}
	hiCut = Parameter{Name: "keyLowPass", Unit: "Hz", High: 20_000, Fixed: true,
		About: "What lies above does not drive it; 0 for all"}
)

// as gives a parameter with another default.
func (p Parameter) as(usual float64) Parameter {
	p.Default = usual
	return p
}

func (p Parameter) fixed() Parameter {
	p.Fixed = true
	return p
}

// Kinds are all kinds, in the order in which they are offered.
var Kinds = []About{
	{Kind: HighPass, Title: "High-pass", About: "Takes away what lies below: rumble, wind, handling", Source: cookbook + ", Butterworth sections",
		Parameters: []Parameter{frequency(10, 20_000, 80, "3 dB down here"), slope}},
	{Kind: LowPass, Title: "Low-pass", About: "Takes away what lies above: hiss, whistles", Source: cookbook + ", Butterworth sections",
		Parameters: []Parameter{frequency(10, 20_000, 12_000, "3 dB down here"), slope}},
	{Kind: LowShelf, Title: "Low shelf", About: "Raises or lowers all that lies below", Source: cookbook,
		Parameters: []Parameter{frequency(10, 20_000, 120, "Half of the gain is reached here"), gain("Of what lies below"), q(4, 0.707)}},
	{Kind: HighShelf, Title: "High shelf", About: "Raises or lowers all that lies above", Source: cookbook,
		Parameters: []Parameter{frequency(10, 20_000, 6000, "Half of the gain is reached here"), gain("Of what lies above"), q(4, 0.707)}},
	{Kind: Bell, Title: "Bell", About: "Raises or lowers what lies around a frequency", Source: cookbook,
		Parameters: []Parameter{frequency(20, 20_000, 1000, "Its middle"), gain("At its middle"), q(40, 1)}},
	{Kind: Notch, Title: "Notch", About: "Takes one frequency away", Source: cookbook,
		Parameters: []Parameter{frequency(20, 20_000, 1000, "What goes"), q(60, 10)}},
	{Kind: Compressor, Title: "Compressor", About: "Takes down what is loud", Source: dynamics, Keyed: true, Detector: true,
		Parameters: []Parameter{threshold, ratio, knee, attack, release, makeup, ahead, lowCut, hiCut}},
	{Kind: Expander, Title: "Expander", About: "Takes down what is soft, the softer the more", Source: dynamics, Keyed: true, Detector: true,
		Parameters: []Parameter{threshold.as(-45), ratio.as(2), knee, most.as(20), attack.as(2), hold, release, ahead, lowCut, hiCut}},
	{Kind: Gate, Title: "Gate", About: "Takes down all that is below a level", Source: dynamics + ", with a ratio without end", Keyed: true, Detector: true,
		Parameters: []Parameter{threshold.as(-50), most, attack.as(1), hold, release, ahead, lowCut, hiCut}},
	{Kind: DeEsser, Title: "De-esser", About: "Takes sharp sounds down, by a shelf that bends as far as they stand out", Source: dynamics + "; " + cookbook,
		Parameters: []Parameter{frequency(2000, 14_000, 5000, "What lies above is listened to and taken down"), threshold.as(-30), ratio.as(4),
			most.as(12), attack.as(1), release.as(60)}},
	{Kind: Limiter, Title: "Limiter", About: "Keeps the true peak below a ceiling", Source: "ITU-R BS.1770-5, annex 2",
		Parameters: []Parameter{{Name: "ceiling", Unit: "dBTP", Low: -60, Default: -3, About: "No true peak is above"}, release.as(80).fixed(),
			{Name: "ahead", Unit: "ms", Low: 0.5, High: 10, Default: 2, Fixed: true, About: "How early it begins to go down"}}},
	{Kind: Hum, Title: "Hum", About: "Takes a mains tone and its multiples away, wherever within 1 % they are",
		Source: "Least squares in frames of four seconds, weighted by how quiet it is",
		Parameters: []Parameter{{Name: "frequency", Unit: "Hz", Low: 40, High: 70, Default: 50, About: "50 or 60; it is found from there"},
			{Name: "harmonics", Low: 1, High: 40, Default: 10, Whole: 1, Fixed: true, About: "How many tones go, the lowest among them"}}},
	{Kind: Noise, Title: "Noise", About: "Takes steady noise down, by what was learnt of it or by the least that there is",
		Source: "Y. Ephraim, D. Malah, IEEE Trans. ASSP 33/2, 1985; R. Martin, IEEE Trans. SAP 9/5, 2001", Profile: true,
		Parameters: []Parameter{{Name: "reduction", Unit: "dB", High: 40, Default: 12, About: "How far it goes down"}}},
	{Kind: Click, Title: "Clicks", About: "Repairs clicks, of wires and of mouths, from both sides",
		Source: "A. Janssen, R. Veldhuis, L. Vries, IEEE Trans. ASSP 34/2, 1986",
		Parameters: []Parameter{{Name: "sensitivity", High: 1, Default: 0.5, About: "How little counts as a click"},
			{Name: "longest", Unit: "ms", Low: 0.1, High: 10, Default: 2, Log: true, About: "What is longer is sound, and stays"}}},
	{Kind: Gain, Title: "Gain", About: "Louder or softer", Source: "10^(dB⁄20)",
		Parameters: []Parameter{{Name: "gain", Unit: "dB", Low: -60, High: 24, About: "By so much"}}},
	{Kind: Polarity, Title: "Polarity", About: "Turns the wave upside down", Source: "−x", Parameters: []Parameter{}},
	{Kind: Delay, Title: "Delay", About: "Later by a time or a distance; all three are added", Source: "343.2 m⁄s, air of 20 °C",
		Parameters: []Parameter{{Name: "ms", Unit: "ms", High: 500, About: "Time"}, {Name: "metres", Unit: "m", High: 100, About: "Distance that sound goes"},
			{Name: "samples", Unit: "samples", High: 96_000, Whole: 1, About: "Samples"}}},
	{Kind: Width, Title: "Width", About: "Scales what differs between the two sides", Source: "M = (L + R)⁄2, S = (L − R)⁄2", Sets: true,
		Parameters: []Parameter{{Name: "width", High: 2, Default: 1, About: "0 is mono, 1 as it is, 2 twice as wide"}}},
	{Kind: Leveller, Title: "Leveller", About: "Rides the level towards a loudness, slowly", Source: "ITU-R BS.1770-5, in hops of 100 ms",
		Parameters: []Parameter{{Name: "target", Unit: "LUFS", Low: -60, High: -5, Default: -23, About: "Where to"},
			{Name: "range", Unit: "dB", High: 24, Default: 9, About: "Up or down at most"},
			{Name: "gate", Unit: "LUFS", Low: -80, High: -10, Default: -45, About: "What is softer does not count"},
			{Name: "window", Unit: "s", Low: 1, High: 30, Default: 6, Fixed: true, About: "Over how much the loudness is taken"}}},
	{Kind: Match, Title: "Match", About: "Gives the spectrum and level of a chosen stretch", Source: "Thirds of an octave after IEC 61260-1; a filter that turns no phase",
		Profile: true, Parameters: []Parameter{{Name: "gain", Unit: "dB", Low: -24, High: 24, Fixed: true, About: "Level on top of what was matched"}}},
}
