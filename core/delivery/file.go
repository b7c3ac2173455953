package delivery

import (
	"fmt"
	"hash/maphash"
	"io"

	"zestyloom/core/contract"
	"zestyloom/core/layout"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
)

// file is a part while it is written.
type file struct {
	part    Part
	planned PlannedFile
	header  wave.Header
	out     Output
	writer  *wave.Writer
	hash    *maphash.Hash
	form    int   // of the pass
	columns []int // of the engine's outputs
	limited []int64
	raw     bool // it is resampled later
}

// audioWriter passes audio on and hashes it.
type audioWriter struct {
	io.Writer
	hash *maphash.Hash
	skip int // bytes of header still to come
}

func (w *audioWriter) Write(b []byte) (int, error) {
	head := min(w.skip, len(b))
	w.skip -= head
	w.hash.Write(b[head:])
	return w.Writer.Write(b)
}

// newFile begins a part. What is resampled later is written as it is rendered.
func newFile(p Plan, part Part, r *reel.Reel, create func(name string) (Output, error), stamp Stamp) (*file, error) {
	f := &file{part: part, planned: p.Files[part.File], limited: make([]int64, len(part.Channels)), raw: p.Files[part.File].Rate != p.Rate}
	outputs := r.OutputList()
	for _, c := range part.Channels {
		for i, o := range outputs {
			if o.ID == c.Output {
				f.columns = append(f.columns, i)
			}
		}
	}
	name := part.Name
	header, err := headerOf(p, part, r, stamp)
	if err != nil {
		return nil, err
	}
	if f.raw {
		name = Raw(name)
		format := wave.Format{Encoding: wave.Float, Channels: len(part.Channels), SampleRate: p.Rate, BitDepth: 32, Bytes: 4}
		header = wave.Header{Format: format, Frames: p.Ranges[f.planned.Range].Frames()}
	}
	return f, f.begin(name, header, create)
}

// begin creates the file and writes its header.
func (f *file) begin(name string, header wave.Header, create func(name string) (Output, error)) error {
	f.header, f.hash = header, newSum()
	head, err := header.Marshal()
	if err != nil {
		return err
	}
	if f.out, err = create(name); err != nil {
		return err
	}
	f.writer, err = wave.NewWriter(&audioWriter{f.out, f.hash, len(head)}, header)
	return err
}

// headerOf gives all but the samples of a part.
func headerOf(p Plan, part Part, r *reel.Reel, stamp Stamp) (wave.Header, error) {
	planned := p.Files[part.File]
	format := contract.File{Depth: planned.Depth}.Format(len(part.Channels), planned.Rate, maskOf(part))
	h := wave.Header{Format: format, Frames: planned.Frames}
	h.Bext = &wave.Bext{
		Description: fmt.Sprintf("sSCENE=%s\r\nsTAPE=%s\r\nsNOTE=%s", p.Reel, p.Production, p.Spec.Title),
		Originator:  "Zesty Loom", Date: stamp.Date, Time: stamp.Time, TimeReference: int64(planned.Start),
		CodingHistory: fmt.Sprintf("A=PCM,F=%d,W=%d,M=%d channels,T=Zesty Loom\r\n", planned.Rate, planned.Depth, len(part.Channels)),
	}
	h.IXML = &wave.IXML{
		Version: "2.10", Project: p.Production, Scene: p.Reel, Note: p.Spec.Title,
		Speed:  wave.SpeedOf(r.Head.FrameRate, planned.Rate, planned.Depth, int64(planned.Start)),
		Tracks: &wave.IXMLTracks{Count: fmt.Sprint(len(part.Channels))},
	}
	for _, c := range part.Channels {
		h.IXML.Tracks.Tracks = append(h.IXML.Tracks.Tracks, wave.IXMLTrack{ChannelIndex: fmt.Sprint(c.Index),
			InterleaveIndex: fmt.Sprint(c.Index), Name: c.Name, Function: c.Label})
	}
	h.Wide = planned.Container == contract.BW64
	if planned.ADM != "" {
		extra, err := describe(p, planned, r)
		if err != nil {
			return h, err
		}
		h.Extra = extra
	}
	return h, nil
}

// maskOf gives the speakers that a part's channels stand for, where they are those of one group and in the order of the mask.
func maskOf(part Part) uint32 {
	labels := make([]string, len(part.Channels))
	for i, c := range part.Channels {
		if labels[i] = c.Label; c.Group != part.Channels[0].Group {
			return 0
		}
	}
	if l, known := layout.ForLabels(labels); known {
		return layout.Layout{Name: l.Name, Labels: labels}.Mask()
	}
	return 0
}

// finish ends the part and writes its header again with the loudness of its group. One of several groups has no loudness that
// means anything, so its fields stay empty.
func (f *file) finish(printed *Printed, measured map[string]Made) error {
	if err := f.writer.Close(); err != nil {
		return err
	}
	name := f.part.Name
	if f.raw {
		name = Raw(name)
	}
	printed.Audio[name] = f.hash.Sum64()
	if f.raw || len(f.planned.Groups) != 1 {
		return nil
	}
	return f.loud(measured[f.planned.Groups[0]].Measurement)
}

// loud writes the header again with what was measured.
func (f *file) loud(m loudness.Measurement) error {
	b := f.header.Bext
	b.IntegratedLUFS, b.RangeLU, b.TruePeakMaxDBTP = m.IntegratedLUFS, m.LoudnessRangeLU, m.TruePeakMaxDBTP
	b.MomentaryMaxLUFS, b.ShortTermMaxLUFS = m.MomentaryMaxLUFS, m.ShortTermMaxLUFS
	head, err := f.header.Marshal()
	if err != nil {
		return err
	}
	_, err = f.out.WriteAt(head, 0)
	return err
}

// meters measure output groups together.
type meters struct {
	bank   *loudness.Bank
	groups []reel.Group
	picked []int // the outputs, group after group
}

func newMeters(groups []reel.Group, r *reel.Reel, rate int) *meters {
	m := &meters{groups: groups}
	var layouts []layout.Layout
	for _, g := range m.groups {
		layouts = append(layouts, layoutOf(g))
		for i, o := range r.OutputList() {
			if o.Group == g.ID {
				m.picked = append(m.picked, i)
			}
		}
	}
	m.bank = loudness.NewBank(rate, 4, layouts...)
	return m
}

// write takes a block of all outputs, in the order of the reel's OutputList.
func (m *meters) write(block [][]float64) { m.bank.Write(pick(block, m.picked)) }

// measurements gives what was found, by group.
func (m *meters) measurements() map[string]loudness.Measurement {
	found := map[string]loudness.Measurement{}
	for i, one := range m.bank.Measurements() {
		found[m.groups[i].ID] = one
	}
	return found
}
