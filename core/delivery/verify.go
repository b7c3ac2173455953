package delivery

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"hash/maphash"
	"io"
	"maps"
	"math"
	"slices"
	"strings"

	"github.com/cespare/xxhash/v2"

	"zestyloom/core/chain"
	"zestyloom/core/contract"
	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/sums"
	"zestyloom/core/wave"
)

// DeliveredFile is a file as it was found.
type DeliveredFile struct {
	Name   string `json:"name"`
	Size   int64  `json:"size"` // bytes
	SHA256 string `json:"sha256"`
	XXH64  string `json:"xxh64,omitempty"`  // as media hash lists have it
	Linked string `json:"linked,omitempty"` // when it was made, where an earlier print did that and nothing has changed since
}

// GroupReport is what was measured of a group in the files.
type GroupReport struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	loudness.Measurement
}

// Report says whether what was printed is what was planned.
type Report struct {
	Pass     bool               `json:"pass"`
	Findings []contract.Finding `json:"findings"` // one for each thing that was compared
	Files    []DeliveredFile    `json:"files"`
	Groups   []GroupReport      `json:"groups"`
	Seconds  float64            `json:"seconds,omitempty"` // that the print took
	Made     int64              `json:"made,omitempty"`    // samples of all channels that were made, and not linked
	// CheckedBy tells the program that made and checked it from every other.
	CheckedBy string `json:"checkedBy,omitempty"`
	// Treated are the treatments that are heard in it.
	Treated []Treated `json:"treated,omitempty"`
}

// Treated is a treatment that is heard in a print.
type Treated struct {
	Name     string `json:"name"`     // of a clip of the take
	Channels []int  `json:"channels"` // of the take, from 1
	Steps    int    `json:"steps"`    // processors that do something
	Revision int64  `json:"revision"`
}

// treatedIn gives the treatments that are heard of a reel, by take.
func treatedIn(r *reel.Reel) (list []Treated) {
	names := map[string]string{}
	for _, c := range r.ClipList() {
		if _, there := names[c.Take]; !there {
			names[c.Take] = c.Name
		}
	}
	heard := r.TreatmentsHeard()
	for _, take := range slices.Sorted(maps.Keys(heard)) {
		for _, t := range r.Treatments[take] {
			if !slices.ContainsFunc(heard[take], func(h chain.Treatment) bool { return slices.Equal(h.Channels, t.Channels) }) {
				continue
			}
			one := Treated{Name: names[take], Steps: len(chain.Heard(t.Steps)), Revision: t.Revision}
			for _, c := range t.Channels {
				one.Channels = append(one.Channels, c+1)
			}
			list = append(list, one)
		}
	}
	return list
}

func (r *Report) add(ok bool, f contract.Finding) {
	f.Severity = contract.OK
	if !ok {
		f.Severity = contract.Error
		r.Pass = false
	}
	r.Findings = append(r.Findings, f)
}

// Hold adds what was compared, as grave as the spec says.
func (r *Report) Hold(findings []contract.Finding, s contract.Spec) {
	for _, f := range findings {
		switch as := s.Checks[f.Rule].As; {
		case f.Severity == contract.Error && as == contract.OK:
			continue
		case f.Severity == contract.Error && as == contract.Warning:
			f.Severity = contract.Warning
			r.Findings = append(r.Findings, f)
		default:
			r.add(f.Severity != contract.Error, f)
		}
	}
}

// Opened is a file opened for reading.
type Opened struct {
	io.ReaderAt
	Size int64
}

// Verify opens every part of the plan again and compares it with the plan and with what Print remembers. r is the reel
// that was printed. An error means that verifying itself could not go on; what is wrong with files is in the report.
func Verify(ctx context.Context, p Plan, r *reel.Reel, printed Printed,
	open func(name string) (Opened, error), progress func(float64)) (Report, error) {
	v := verifier{plan: p, reel: r, printed: printed, report: Report{Pass: true, Treated: treatedIn(r)}, parts: p.Parts(), files: map[string]*wave.File{},
		measured: map[string]bool{}, sums: map[string]string{}, proven: map[string]bool{}}
	for _, part := range v.parts {
		o, err := open(part.Name)
		if err != nil {
			v.add(false, contract.Finding{Rule: "file", File: p.Files[part.File].Name, Message: "The file can't be opened: " + fault.Sentence(err)})
			continue
		}
		if err := v.header(ctx, part, o); err != nil {
			return v.report, err
		}
	}
	if len(v.files) == len(v.parts) {
		if err := v.passes(ctx, progress); err != nil {
			return v.report, err
		}
		v.unmeasured()
		v.unproven()
	}
	return v.report, nil
}

type verifier struct {
	plan     Plan
	reel     *reel.Reel
	printed  Printed
	report   Report
	parts    []Part
	files    map[string]*wave.File // by the part's name
	measured map[string]bool       // groups, by range
	proven   map[string]bool       // sums, by range
	sums     map[string]string     // SHA-256 of parts that were whole before, or are whole files
}

// add notes what was compared, as grave as the spec says.
func (v *verifier) add(ok bool, f contract.Finding) {
	if f.Severity = contract.OK; !ok {
		f.Severity = contract.Error
	}
	v.report.Hold([]contract.Finding{f}, v.plan.Spec)
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

// Delivered reads a file whole and says what was found.
func Delivered(ctx context.Context, name string, o Opened) (DeliveredFile, error) {
	sum, quick := sha256.New(), xxhash.New()
	if _, err := io.Copy(io.MultiWriter(sum, quick), stopping{ctx, io.NewSectionReader(o, 0, o.Size)}); err != nil {
		return DeliveredFile{}, err
	}
	return DeliveredFile{Name: name, Size: o.Size, SHA256: hex.EncodeToString(sum.Sum(nil)), XXH64: hex.EncodeToString(quick.Sum(nil))}, nil
}

// header compares what a part says of itself.
func (v *verifier) header(ctx context.Context, part Part, o Opened) error {
	planned := v.plan.Files[part.File]
	name := planned.Name
	before, whole := v.printed.Whole[part.Name]
	if part.Final || whole {
		d, err := Delivered(ctx, name, o)
		if err != nil {
			return err
		}
		if d.Linked = before.When; part.Final {
			v.report.Files = append(v.report.Files, d)
		}
		v.sums[part.Name] = d.SHA256
	}
	f, err := wave.Open(o, o.Size)
	if err != nil {
		v.add(false, contract.Finding{Rule: "file", File: name, Message: fault.Sentence(err)})
		return nil
	}
	v.files[part.Name] = f
	compare := func(rule, message string, measured, limit any) {
		m, l := fmt.Sprint(measured), fmt.Sprint(limit)
		v.add(m == l, contract.Finding{Rule: rule, File: name, Message: message, Measured: m, Limit: l})
	}
	want := contract.File{Depth: planned.Depth}.Format(len(part.Channels), planned.Rate, 0)
	compare("channels", "Number of channels", f.Channels, want.Channels)
	compare("sample-rate", "Sample rate in Hz", f.SampleRate, want.SampleRate)
	compare("bit-depth", "Sample format", sampleFormat(f.Format), sampleFormat(want))
	compare("length", "Length in samples", f.Frames, planned.Frames)
	stamp := "none"
	if f.Bext != nil {
		stamp = v.stamp(f.Bext.TimeReference, f.SampleRate)
	}
	compare("start", "Time stamp of the first sample, in samples since midnight", stamp, v.stamp(int64(planned.Start), planned.Rate))
	var names, planNames []string
	if f.IXML != nil && f.IXML.Tracks != nil {
		for _, t := range f.IXML.Tracks.Tracks {
			names = append(names, t.Name)
		}
	}
	for _, c := range part.Channels {
		planNames = append(planNames, c.Name)
	}
	compare("names", "Names of the channels", strings.Join(names, ", "), strings.Join(planNames, ", "))
	return nil
}

// stamp writes a position so that a single sample shows.
func (v *verifier) stamp(at int64, rate int) string {
	return fmt.Sprintf("%d (%s)", at, v.reel.Head.FrameRate.LabelAt(at, rate))
}

func sampleFormat(f wave.Format) string {
	if f.Encoding == wave.Float {
		return fmt.Sprintf("%d bit float", f.BitDepth)
	}
	return fmt.Sprintf("%d bit integer", f.BitDepth)
}

// place says where an output channel is: part and channel in it.
type place struct{ part, channel int }

// passes reads the parts, those of a range and rate in step.
func (v *verifier) passes(ctx context.Context, progress func(float64)) error {
	var total, done int64
	for _, part := range v.parts {
		total += v.plan.Files[part.File].Frames
	}
	for at := range v.plan.Ranges {
		var rates []int
		for _, part := range v.parts {
			if f := v.plan.Files[part.File]; f.Range == at && !slices.Contains(rates, f.Rate) {
				rates = append(rates, f.Rate)
			}
		}
		for _, rate := range rates {
			var parts []Part
			for _, part := range v.parts {
				if f := v.plan.Files[part.File]; f.Range == at && f.Rate == rate {
					parts = append(parts, part)
				}
			}
			weight := int64(len(parts))
			err := v.pass(ctx, at, rate, parts, func(frame int64) { progress(min(1, float64(done+frame*weight)/float64(total))) })
			if err != nil {
				return err
			}
			done += v.plan.Files[parts[0].File].Frames * weight
		}
	}
	return nil
}

// unmeasured finds limits of groups that no file has all of, so that there was nothing to measure: they are not met.
func (v *verifier) unmeasured() {
	for at, span := range v.plan.Ranges {
		for _, l := range v.plan.Spec.Limits {
			for _, g := range v.reel.GroupList() {
				if len(l.Of) == 0 || !l.For(g.ID) || v.measured[fmt.Sprint(at, g.ID)] {
					continue
				}
				v.report.add(false, contract.Finding{Rule: "measurable", Message: fmt.Sprintf("%s is to be measured, and no file of %s has all of it",
					g.Name, span.Name), Measured: "not measured"})
			}
		}
	}
}

// pass reads parts in step: it hashes their audio, measures the groups that are whole in them and were not measured yet, and
// sums stems against mixes.
func (v *verifier) pass(ctx context.Context, at, rate int, parts []Part, progress func(frame int64)) error {
	places := map[string]place{}
	depth := map[string]int{}
	frames := v.plan.Files[parts[0].File].Frames
	sums, strange, raw := make([]*maphash.Hash, len(parts)), make([]int64, len(parts)), make([][]byte, len(parts))
	for i, part := range parts {
		f := v.files[part.Name]
		for _, c := range part.Channels {
			if _, there := places[c.Output]; !there && c.Index <= f.Channels {
				places[c.Output] = place{i, c.Index - 1}
				depth[c.Group] = v.plan.Files[part.File].Depth
			}
		}
		raw[i], sums[i], frames = make([]byte, blockFrames*f.FrameBytes()), newSum(), min(frames, f.Frames)
	}
	whole := func(g reel.Group) bool {
		return !slices.ContainsFunc(g.Labels, func(l string) bool { _, there := places[reel.OutputID(g.ID, l)]; return !there })
	}
	var groups []reel.Group
	for _, g := range v.reel.GroupList() {
		if key := fmt.Sprint(at, g.ID); whole(g) && !v.measured[key] {
			groups, v.measured[key] = append(groups, g), true
		}
	}
	meters := newMeters(groups, v.reel, rate)
	anchored := v.anchor(meters, groups)
	outputs := v.reel.OutputList()
	block, column := make([][]float64, len(outputs)), map[string]int{}
	for i, o := range outputs {
		block[i], column[o.ID] = make([]float64, blockFrames), i
	}
	var now [][]float64
	proofs := v.proofs(whole, depth, func(group string, channel int) []float64 {
		return now[column[reel.OutputID(group, v.reel.Groups[group].Labels[channel])]]
	})
	span := v.plan.Ranges[at]
	scaled := func(n int64) int64 { return int64(math.Round(float64(n) * float64(rate) / float64(v.plan.Rate))) }
	begin, end := scaled(span.Lead), frames-scaled(span.Tail)
	for from := int64(0); from < frames; {
		if err := ctx.Err(); err != nil {
			return fault.Wrap(fault.Cancelled, err, "The check of the files was stopped")
		}
		n := int(min(blockFrames, frames-from))
		for i, part := range parts {
			f := v.files[part.Name]
			bytes := raw[i][:n*f.FrameBytes()]
			if got, err := f.ReadRaw(bytes, from); err != nil || got != n {
				return fault.Wrap(fault.Damaged, err, "%s could not be read back", part.Name)
			}
			if _, err := sums[i].Write(bytes); err != nil {
				return err
			}
			strange[i] += f.Strange(bytes)
		}
		now = make([][]float64, len(outputs))
		a, b := max(0, begin-from), min(int64(n), end-from) // of the block, which are programme
		for i, o := range outputs {
			now[i] = block[i][:n]
			if p, there := places[o.ID]; there {
				v.files[parts[p.part].Name].Decode(now[i], raw[p.part], p.channel)
			}
			now[i] = now[i][min(a, int64(n)):max(min(a, int64(n)), b)]
		}
		if b > a && len(groups) > 0 {
			meters.write(now)
		}
		if b > a {
			for _, n := range proofs {
				n.Write(0, int(b-a))
			}
		}
		from += int64(n)
		progress(from)
	}
	for i, part := range parts {
		v.read(part, sums[i].Sum64(), strange[i])
	}
	v.levels(at, rate, groups, meters.measurements(), func(group int) *float64 {
		if !anchored {
			return nil
		}
		return meters.bank.Anchored(group)
	})
	v.addUp(at, proofs)
	return nil
}

// read says what came of reading a part.
func (v *verifier) read(part Part, sum uint64, strange int64) {
	name := v.plan.Files[part.File].Name
	before, whole := v.printed.Whole[part.Name]
	same, message := sum == v.printed.Audio[part.Name], "The audio read back is, byte for byte, what was printed"
	if whole {
		same = v.sums[part.Name] == before.SHA256
		message = "Nothing that reaches it has changed, so it was not rendered again: it is, byte for byte, the file that was made " + before.When
	}
	if !same {
		message = "The audio read back is not what was printed; the disk may be failing"
	}
	v.add(same, contract.Finding{Rule: "audio", File: name, Message: message})
	if strange > 0 {
		v.add(false, contract.Finding{Rule: "measurable", File: name, Message: "Samples are no numbers, or louder than anything can be",
			Measured: fmt.Sprint(strange), Limit: "0"})
	}
}

// levels compares what was measured with the spec and with what was measured while printing.
func (v *verifier) levels(at, rate int, groups []reel.Group, found map[string]loudness.Measurement, anchored func(group int) *float64) {
	for i, g := range groups {
		m := found[g.ID]
		called := g.Name
		if len(v.plan.Ranges) > 1 {
			called += ", " + v.plan.Ranges[at].Name
		}
		v.report.Groups = append(v.report.Groups, GroupReport{g.ID, called, m})
		before := v.printed.Groups[at][g.ID]
		if m.Unmeasured > 0 {
			v.add(false, contract.Finding{Rule: "measurable",
				Message: called + ": samples are no numbers, so nothing that is measured of it holds", Measured: fmt.Sprint(m.Unmeasured),
				Limit: "0"})
		}
		tolerance := 0.01
		if rate != v.plan.Rate {
			tolerance = 0.1 // resampling takes what lies above half the lower rate
		}
		v.add(near(m.IntegratedLUFS, before.IntegratedLUFS, tolerance), contract.Finding{Rule: "loudness-as-printed",
			Message:  called + ": integrated loudness is what it was while printing",
			Measured: figure(m.IntegratedLUFS, "LUFS"), Limit: figure(before.IntegratedLUFS, "LUFS")})
		if before.Clipped > 0 {
			v.add(false, contract.Finding{Rule: "clipped",
				Message:  fmt.Sprintf("%s: samples went over full scale, by up to %.1f dB, and were limited%s", called, overBy(before.Peak), toTrim(g)),
				Measured: fmt.Sprint(before.Clipped), Limit: "0"})
		}
		for _, l := range v.plan.Spec.Limits {
			if l.For(g.ID) {
				v.limits(l.Whole(), called, m, anchored(i))
			}
		}
	}
}

// anchor has groups be measured where the dialogue is heard, where a limit asks for that and the files have the dialogue by
// itself. Where they have not, there is nothing to measure it on, and such a limit is not met.
func (v *verifier) anchor(m *meters, groups []reel.Group) bool {
	asked := slices.ContainsFunc(v.plan.Spec.Limits, func(l contract.Limit) bool { return l.Whole().Measured == contract.DialogueGate })
	dialogue := slices.IndexFunc(groups, func(g reel.Group) bool {
		return slices.Equal(g.Stems, []string{"DX"}) || g.Feed != nil && g.Feed.Row == reel.StemRow && g.Feed.From == "DX"
	})
	if !asked || dialogue < 0 {
		return false
	}
	for i := range groups {
		m.bank.Anchor(i, dialogue)
	}
	return true
}

// limits holds what was measured of a group to a limit.
func (v *verifier) limits(l contract.Limit, called string, m loudness.Measurement, anchored *float64) {
	if l.Integrated != nil {
		integrated, message := m.IntegratedLUFS, ": integrated loudness"
		if l.Measured == contract.DialogueGate {
			integrated, message = anchored, ": loudness where the dialogue is heard"
		}
		measured := figure(integrated, "LUFS")
		if l.Measured == contract.DialogueGate && integrated == nil {
			measured = "not measured: no file has the dialogue by itself, or nobody speaks"
		}
		tolerance := 0.0
		if l.Tolerance != nil {
			tolerance = *l.Tolerance
		}
		ok := integrated != nil && math.Abs(*integrated-*l.Integrated) <= tolerance+1e-9
		v.add(ok, contract.Finding{Rule: "loudness", Message: called + message,
			Measured: measured, Limit: fmt.Sprintf("%s ±%g", figure(l.Integrated, "LUFS"), tolerance)})
	}
	for _, most := range []struct {
		rule, message, unit string
		measured, limit     *float64
		slack               float64
	}{
		{"true-peak", "highest true peak", "dBTP", m.TruePeakMaxDBTP, l.TruePeak, 0},
		{"ppm", "highest programme level", "PPM", m.PPMMax, l.PPMMax, 0.05},
		{"short-term", "highest short-term loudness", "LUFS", m.ShortTermMaxLUFS, l.ShortTermMax, 0},
		{"momentary", "highest momentary loudness", "LUFS", m.MomentaryMaxLUFS, l.MomentaryMax, 0},
		{"loudness-range", "loudness range", "LU", m.LoudnessRangeLU, l.RangeMax, 0},
	} {
		if most.limit == nil {
			continue
		}
		// Silence lies below every limit; what else has no value, such as the range of two seconds, was not measured.
		silent := m.TruePeakMaxDBTP == nil && m.Unmeasured == 0
		ok := silent || most.measured != nil && *most.measured <= *most.limit+most.slack
		if most.measured == nil && !silent {
			v.add(false, contract.Finding{Rule: most.rule, Message: called + ": " + most.message, Measured: "not measured: too short, or too low",
				Limit: fmt.Sprintf("at most %s", figure(most.limit, most.unit))})
			continue
		}
		v.add(ok, contract.Finding{Rule: most.rule, Message: called + ": " + most.message,
			Measured: figure(most.measured, most.unit), Limit: fmt.Sprintf("at most %s", figure(most.limit, most.unit))})
	}
}

// proofs begins to prove what must add up among the groups that are whole in what is read in step.
func (v *verifier) proofs(whole func(reel.Group) bool, depth map[string]int,
	of func(group string, channel int) []float64) (list []*sums.Null) {
	for _, s := range v.plan.Sums {
		bits, there := 32, true
		for _, id := range s.Sets() {
			there = there && whole(v.reel.Groups[id])
			bits = min(bits, depth[id])
		}
		if there {
			list = append(list, sums.NewNull(s, of, func(_ int, gains []float64) (peak, rms float64) { return contract.NullLimit(bits, gains...) }))
		}
	}
	return list
}

// addUp says whether what must add up does: to what dither and rounding leave.
func (v *verifier) addUp(at int, list []*sums.Null) {
	for _, n := range list {
		worst := slices.MaxFunc(n.Rows, func(a, b sums.Row) int { return cmp.Compare(a.Peak, b.Peak) })
		measured := "nothing left"
		if worst.Peak > 0 {
			measured = fmt.Sprintf("%s left, %s on average", level(worst.Peak), level(worst.Average()))
		}
		words := v.words(n.Sum)
		message := words.Says
		if !n.OK() {
			message = words.Denies
		}
		v.proven[fmt.Sprint(at, n.Sets())] = true
		v.add(n.OK(), contract.Finding{Rule: words.Rule, Message: message, Measured: measured,
			Limit: fmt.Sprintf("at most %s, %s on average: what dither and rounding at this depth leave", level(worst.Limit), level(worst.RMS))})
	}
}

// words says a sum in words.
func (v *verifier) words(s sums.Sum) contract.SumWords {
	var names []string
	for _, p := range s.Parts {
		names = append(names, v.reel.Groups[p.ID].Name)
	}
	whole := v.reel.Groups[s.Whole]
	return contract.WordsOfSum(whole.Name, names, slices.Equal(whole.Labels, v.reel.Groups[s.Parts[0].ID].Labels))
}

// unproven says what must add up and could not be held to, because no files of a range have all of it at one rate.
func (v *verifier) unproven() {
	for at, span := range v.plan.Ranges {
		for _, s := range v.plan.Sums {
			if words := v.words(s); !v.proven[fmt.Sprint(at, s.Sets())] {
				v.report.Findings = append(v.report.Findings, contract.Finding{Rule: words.Rule, Severity: contract.Warning,
					Message: fmt.Sprintf("That %s was not checked in %s: not all of them are whole in its files, at one rate", words.Says, span.Name)})
			}
		}
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
