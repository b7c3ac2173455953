package delivery

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"hash/maphash"
	"io"
	"math"
	"slices"
	"strings"

	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
)

// DeliveredFile is a file as it was found.
type DeliveredFile struct {
	Name   string `json:"name"`
	Size   int64  `json:"size"` // bytes
	SHA256 string `json:"sha256"`
}

// GroupReport is what was measured of a group in the files.
type GroupReport struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	loudness.Measurement
}

// Report says whether what was printed is what was planned.
type Report struct {
	Pass     bool            `json:"pass"`
	Findings []Finding       `json:"findings"` // one for each thing that was compared
	Files    []DeliveredFile `json:"files"`
	Groups   []GroupReport   `json:"groups"`
}

func (r *Report) add(ok bool, f Finding) {
	f.Severity = OK
	if !ok {
		f.Severity = Error
		r.Pass = false
	}
	r.Findings = append(r.Findings, f)
}

// Opened is a file opened for reading.
type Opened struct {
	io.ReaderAt
	Size int64
}

// nullLimit is how much may be left when so many stems are taken from their mix, as the largest sample and as RMS, full
// scale 1. Each file was dithered by up to a step and rounded by up to half of one, so samples lie up to 1.5 steps from
// what was mixed; the noise of that has a variance of 1/6 + 1/12 of a step squared in each, and may measure half as much
// again. In float there is only rounding.
func nullLimit(bits, stems int) (peak, rms float64) {
	if bits >= 32 {
		return dsp.Gain(-120), dsp.Gain(-120)
	}
	step := math.Ldexp(1, 1-bits)
	return 1.5 * step * float64(stems+1) * (1 + 1e-9), 1.5 * step * math.Sqrt(float64(stems+1)/4)
}

// Verify opens every file of the plan again and compares it with the plan and with what Print remembers. r is the reel
// that was printed. An error means that verifying itself could not go on; what is wrong with files is in the report.
func Verify(ctx context.Context, p Plan, r *reel.Reel, printed Printed,
	open func(name string) (Opened, error), progress func(float64)) (Report, error) {
	v := verifier{plan: p, reel: r, printed: printed, report: Report{Pass: true}, meters: newMeters(p, r)}
	for _, planned := range p.Files {
		o, err := open(planned.Name)
		if err != nil {
			v.report.add(false, Finding{Rule: "file", File: planned.Name, Message: "The file can't be opened: " + fault.Sentence(err)})
			continue
		}
		if err := v.header(ctx, planned, o); err != nil {
			return v.report, err
		}
	}
	if len(v.files) == len(p.Files) {
		if err := v.samples(ctx, progress); err != nil {
			return v.report, err
		}
		v.levels()
	}
	return v.report, nil
}

type verifier struct {
	plan    Plan
	reel    *reel.Reel
	printed Printed
	report  Report
	files   []*wave.File
	meters  *meters
	nulls   []null
}

// stopping reads until its context ends.
type stopping struct {
	ctx context.Context
	io.Reader
}

func (s stopping) Read(b []byte) (int, error) {
	if err := s.ctx.Err(); err != nil {
		return 0, fault.Wrap(fault.Cancelled, err, "The check of the files was stopped")
	}
	return s.Reader.Read(b)
}

// header compares what a file says of itself.
func (v *verifier) header(ctx context.Context, planned PlannedFile, o Opened) error {
	name := planned.Name
	sum := sha256.New()
	if _, err := io.Copy(sum, stopping{ctx, io.NewSectionReader(o, 0, o.Size)}); err != nil {
		return err
	}
	v.report.Files = append(v.report.Files, DeliveredFile{name, o.Size, hex.EncodeToString(sum.Sum(nil))})
	f, err := wave.Open(o, o.Size)
	if err != nil {
		v.report.add(false, Finding{Rule: "file", File: name, Message: fault.Sentence(err)})
		return nil
	}
	v.files = append(v.files, f)
	compare := func(rule, message string, measured, limit any) {
		m, l := fmt.Sprint(measured), fmt.Sprint(limit)
		v.report.add(m == l, Finding{Rule: rule, File: name, Message: message, Measured: m, Limit: l})
	}
	want := v.plan.Spec.Format(len(planned.Channels), 0)
	compare("channels", "Number of channels", f.Channels, want.Channels)
	compare("sample-rate", "Sample rate in Hz", f.SampleRate, want.SampleRate)
	compare("bit-depth", "Sample format", sampleFormat(f.Format), sampleFormat(want))
	compare("length", "Length in samples", f.Frames, v.plan.Frames)
	stamp := "none"
	if f.Bext != nil {
		stamp = v.stamp(f.Bext.TimeReference)
	}
	compare("start", "Time stamp of the first sample, in samples since midnight", stamp, v.stamp(v.plan.Start))
	var names, planNames []string
	if f.IXML != nil && f.IXML.Tracks != nil {
		for _, t := range f.IXML.Tracks.Tracks {
			names = append(names, t.Name)
		}
	}
	for _, c := range planned.Channels {
		planNames = append(planNames, c.Name)
	}
	compare("names", "Names of the channels", strings.Join(names, ", "), strings.Join(planNames, ", "))
	return nil
}

// stamp writes a position so that a single sample shows.
func (v *verifier) stamp(at int64) string {
	return fmt.Sprintf("%d (%s)", at, v.reel.Head.FrameRate.LabelAt(at, v.plan.Spec.SampleRate))
}

func sampleFormat(f wave.Format) string {
	if f.Encoding == wave.Float {
		return fmt.Sprintf("%d bit float", f.BitDepth)
	}
	return fmt.Sprintf("%d bit integer", f.BitDepth)
}

// place says where an output channel is: file and channel in it.
type place struct{ file, channel int }

// null is a sum of stems to be taken from a mix.
type null struct {
	mix   reel.Group
	parts []reel.Group
	peak  float64
	power float64
	n     int64
}

// samples reads all files in step: it hashes their audio, measures the groups, and sums stems against mixes.
func (v *verifier) samples(ctx context.Context, progress func(float64)) error {
	places := map[string]place{}
	for i, planned := range v.plan.Files {
		for _, c := range planned.Channels {
			if c.Index <= v.files[i].Channels {
				places[c.Output] = place{i, c.Index - 1}
			}
		}
	}
	outputs := v.reel.OutputList()
	if len(places) != len(outputs) {
		return nil // the count of channels has failed already
	}
	v.nulls = nulls(v.reel)
	block := make([][]float64, len(outputs))
	column := map[string]int{}
	for i, o := range outputs {
		block[i] = make([]float64, blockFrames)
		column[o.ID] = i
	}
	raw := make([][]byte, len(v.files))
	sums := make([]*maphash.Hash, len(v.files))
	frames := v.plan.Frames
	strange := make([]int64, len(v.files))
	for i, f := range v.files {
		raw[i] = make([]byte, blockFrames*f.FrameBytes())
		sums[i] = newSum()
		frames = min(frames, f.Frames)
	}
	for at := int64(0); at < frames; {
		if err := ctx.Err(); err != nil {
			return fault.Wrap(fault.Cancelled, err, "The check of the files was stopped")
		}
		n := int(min(blockFrames, frames-at))
		for i, f := range v.files {
			got, err := f.ReadRaw(raw[i][:n*f.FrameBytes()], at)
			if err != nil || got != n {
				return fault.Wrap(fault.Damaged, err, "%s could not be read back", v.plan.Files[i].Name)
			}
			if _, err := sums[i].Write(raw[i][:n*f.FrameBytes()]); err != nil {
				return err
			}
			strange[i] += f.Strange(raw[i][:n*f.FrameBytes()])
		}
		now := make([][]float64, len(outputs))
		for i, o := range outputs {
			p := places[o.ID]
			now[i] = block[i][:n]
			v.files[p.file].Decode(now[i], raw[p.file], p.channel)
		}
		v.meters.write(now)
		for i := range v.nulls {
			v.nulls[i].add(now, column)
		}
		at += int64(n)
		progress(float64(at) / float64(frames))
	}
	for i, planned := range v.plan.Files {
		same := sums[i].Sum64() == v.printed.Audio[planned.Name]
		message := "The audio read back is, byte for byte, what was printed"
		if !same {
			message = "The audio read back is not what was printed; the disk may be failing"
		}
		v.report.add(same, Finding{Rule: "audio", File: planned.Name, Message: message})
		if strange[i] > 0 {
			v.report.add(false, Finding{Rule: "measurable", File: planned.Name,
				Message: "Samples are no numbers, or louder than anything can be", Measured: fmt.Sprint(strange[i]), Limit: "0"})
		}
	}
	return nil
}

// nulls finds the groups that are the sum of others: of the same layout, with stems that together are its stems.
func nulls(r *reel.Reel) []null {
	var found []null
	groups := r.GroupList()
	for _, mix := range groups {
		if len(mix.Stems) < 2 {
			continue
		}
		n := null{mix: mix}
		var covered []string
		for _, g := range groups {
			within := g.ID != mix.ID && slices.Equal(g.Labels, mix.Labels) && !slices.ContainsFunc(g.Stems, func(s string) bool {
				return !slices.Contains(mix.Stems, s) || slices.Contains(covered, s)
			})
			if within {
				n.parts = append(n.parts, g)
				covered = append(covered, g.Stems...)
			}
		}
		if len(covered) == len(mix.Stems) {
			found = append(found, n)
		}
	}
	return found
}

func (n *null) add(block [][]float64, column map[string]int) {
	for _, label := range n.mix.Labels {
		mix := block[column[n.mix.ID+"/"+label]]
		n.n += int64(len(mix))
		for i, x := range mix {
			for _, g := range n.parts {
				x -= block[column[g.ID+"/"+label]][i]
			}
			n.peak = max(n.peak, math.Abs(x))
			n.power += x * x
		}
	}
}

// levels compares what was measured with the spec and with what was measured while printing.
func (v *verifier) levels() {
	spec, found := v.plan.Spec, v.meters.measurements()
	for _, g := range v.reel.GroupList() {
		m := found[g.ID]
		v.report.Groups = append(v.report.Groups, GroupReport{g.ID, g.Name, m})
		before := v.printed.Groups[g.ID]
		if m.Unmeasured > 0 {
			v.report.add(false, Finding{Rule: "measurable",
				Message: g.Name + ": samples are no numbers, so nothing that is measured of it holds", Measured: fmt.Sprint(m.Unmeasured),
				Limit: "0"})
		}
		v.report.add(near(m.IntegratedLUFS, before.IntegratedLUFS, 0.01), Finding{Rule: "loudness-as-printed",
			Message:  g.Name + ": integrated loudness is what it was while printing",
			Measured: figure(m.IntegratedLUFS, "LUFS"), Limit: figure(before.IntegratedLUFS, "LUFS")})
		if n := v.printed.Clipped[g.ID]; n > 0 {
			v.report.add(false, Finding{Rule: "clipped", Message: fmt.Sprintf("%s: samples went over full scale, by up to %.1f dB, and were limited%s", g.Name, overBy(v.printed.Peaks[g.ID]), toTrim(g)),
				Measured: fmt.Sprint(n), Limit: "0"})
		}
		if spec.TruePeakMax != nil {
			ok := m.TruePeakMaxDBTP == nil || *m.TruePeakMaxDBTP <= *spec.TruePeakMax
			v.report.add(ok, Finding{Rule: "true-peak", Message: g.Name + ": highest true peak",
				Measured: figure(m.TruePeakMaxDBTP, "dBTP"), Limit: fmt.Sprintf("at most %s", figure(spec.TruePeakMax, "dBTP"))})
		}
		if spec.PPMMax != nil {
			ok := m.PPMMax == nil || *m.PPMMax <= *spec.PPMMax+0.05
			v.report.add(ok, Finding{Rule: "ppm", Message: g.Name + ": highest programme level",
				Measured: figure(m.PPMMax, "PPM"), Limit: fmt.Sprintf("at most %s", figure(spec.PPMMax, "PPM"))})
		}
		for _, sg := range spec.Groups {
			if sg.ID == g.ID && sg.Loudness != nil {
				ok := m.IntegratedLUFS != nil && math.Abs(*m.IntegratedLUFS-sg.Loudness.Target) <= sg.Loudness.Tolerance+1e-9
				v.report.add(ok, Finding{Rule: "loudness", Message: g.Name + ": integrated loudness",
					Measured: figure(m.IntegratedLUFS, "LUFS"),
					Limit:    fmt.Sprintf("%s ±%g", figure(&sg.Loudness.Target, "LUFS"), sg.Loudness.Tolerance)})
			}
		}
	}
	for _, n := range v.nulls {
		var names []string
		for _, g := range n.parts {
			names = append(names, g.Name)
		}
		limit, limitRMS := nullLimit(spec.BitDepth, len(n.parts))
		rms := math.Sqrt(n.power / float64(max(1, n.n)))
		measured := "nothing left"
		if n.peak > 0 {
			measured = fmt.Sprintf("%s left, %s on average", level(n.peak), level(rms))
		}
		v.report.add(n.n > 0 && n.peak <= limit && rms <= limitRMS, Finding{Rule: "stems-sum-to-mix",
			Message: fmt.Sprintf("%s add up to %s", strings.Join(names, " + "), n.mix.Name), Measured: measured,
			Limit: fmt.Sprintf("at most %s, %s on average: what dither and rounding at this depth leave", level(limit), level(limitRMS))})
	}
}

func level(x float64) string {
	return strings.Replace(fmt.Sprintf("%.1f dBFS", dsp.DB(x)), "-", "−", 1)
}

// overBy is how far above full scale a level is, in dB, rounded up to a tenth.
func overBy(level float64) float64 { return math.Ceil(10*dsp.DB(level)-1e-9) / 10 }

// toTrim says what helps a fold-down that goes over.
func toTrim(g reel.Group) string {
	if g.Feed != nil && g.Feed.Row == reel.GroupRow {
		return "; lower the trim of this fold-down by as much"
	}
	return ""
}

func near(a, b *float64, tolerance float64) bool {
	if a == nil || b == nil {
		return a == b
	}
	return math.Abs(*a-*b) <= tolerance
}

func figure(x *float64, unit string) string {
	if x == nil {
		return "silent"
	}
	return strings.Replace(fmt.Sprintf("%.2f %s", *x, unit), "-", "−", 1)
}
