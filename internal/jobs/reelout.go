package jobs

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"

	"zestyloom/core/cutlist"
	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/handover"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/core/unravel"
	"zestyloom/core/wave"
	"zestyloom/internal/store"
)

// ReelOut says how a reel is handed over.
type ReelOut struct {
	// Handle cuts the takes to what the reel uses and so many seconds at both ends; nil takes them whole.
	Handle *float64 `json:"handle,omitempty"`
	// Tracks writes each track at the length of the reel besides, as one file, without its own level and place.
	Tracks bool `json:"tracks,omitempty"`
}

type reelOutArgs struct {
	Reel string `json:"reel"`
	ReelOut
}

// dyes are the colours of the stems that every production begins with, as the pages show them by day.
var dyes = handover.Colours{"DX": "#d9930d", "NX": "#b4512c", "MX": "#8a2f62", "FX": "#1f6f5c", "AX": "#3f5f9f"}

// HandReelOver queues the writing of a reel as lists, with the sound that it uses beside them.
func (r *Runner) HandReelOver(ctx context.Context, o store.OpenReel, how ReelOut) (string, error) {
	if len(o.Reel.Clips) == 0 {
		return "", fault.New(fault.BadInput, "There is no clip on %s to hand over", o.Name)
	}
	if h := how.Handle; h != nil && !(*h >= 0 && *h <= 600) {
		return "", fault.New(fault.BadInput, "Handles are between 0 and 600 seconds long")
	}
	return r.add(ctx, o.Production, "list", o.Name+" handed over", reelOutArgs{o.ID, how}, nil)
}

// reelOut is one reel on its way out.
type reelOut struct {
	*attempt
	args  reelOutArgs
	open  store.OpenReel
	takes map[string]store.Take
	pack  handover.Package
	sums  []string // a line for each file, as sha256sum checks them
}

// handReelOver writes the sound first, so that the lists name files that are there. A take that can't be written is left
// out of the lists and said.
func (a *attempt) handReelOver(ctx context.Context) (end store.End, err error) {
	out := reelOut{attempt: a, takes: map[string]store.Take{}}
	if err := json.Unmarshal(a.Args, &out.args); err != nil {
		return end, err
	}
	if out.open, err = a.Store.Reel(ctx, out.args.Reel); err != nil {
		return end, err
	}
	if err := out.known(ctx); err != nil {
		return end, err
	}
	report, err := out.writeSound(ctx)
	if err != nil {
		return end, err
	}
	if len(out.pack.Files) == 0 {
		return end, fault.New(fault.Damaged, "None of the reel's takes could be written: %s", report[0].Message)
	}
	if out.args.Tracks {
		tracks, err := out.writeTracks(ctx, report)
		if err != nil {
			return end, err
		}
		report = append(report, tracks)
	}
	written, notes, err := out.writeLists(report)
	if err != nil {
		return end, err
	}
	report = slices.Insert(report, 0, written)
	return said("%s", strings.Join(notes, ". ")), persist(ctx, func() error { return a.Store.SetOutcomes(ctx, a.claim, report) })
}

// known looks up the takes that the reel refers to.
func (o *reelOut) known(ctx context.Context) error {
	all, err := o.Store.Takes(ctx, o.Production)
	if err != nil {
		return err
	}
	for _, t := range all {
		o.takes[t.ID] = t
	}
	o.pack.Reel = o.open.Reel
	for _, id := range o.open.Reel.TakesReferred() {
		if t, there := o.takes[id]; there {
			o.pack.Takes = append(o.pack.Takes, handed(t))
		}
	}
	return nil
}

// handed is a take as a hand-over knows it.
func handed(t store.Take) handover.Take {
	return handover.Take{ID: t.ID, Title: t.Title(), File: t.FileName, SHA256: t.SHA256, Frames: t.Description.Frames,
		SampleRate: t.Description.SampleRate, Channels: len(t.Channels)}
}

// writeSound writes the takes that sound, whole or the stretches that are used.
func (o *reelOut) writeSound(ctx context.Context) ([]store.Outcome, error) {
	stretches := map[string][]reel.Span{}
	if h := o.args.Handle; h != nil {
		frames := func(id string) int64 { return o.takes[id].Description.Frames }
		stretches = handover.Stretches(o.open.Reel, frames, int64(*h*float64(o.open.Reel.Head.SampleRate)))
	}
	to := 0.95
	if o.args.Tracks {
		to = 0.6
	}
	return o.eachTake(ctx, o.open.Reel.TakesHeard(), nil, 0, to, func(t store.Take, report []store.Outcome,
		progress func(float64)) (store.Outcome, error) {
		spans, cut := stretches[t.ID]
		if !cut {
			spans = []reel.Span{{To: t.Description.Frames}}
		}
		return o.writeStretches(ctx, t, spans, namesOf(report), progress)
	})
}

// writeStretches writes stretches of a take to a file each. They get their names together.
func (o *reelOut) writeStretches(ctx context.Context, t store.Take, spans []reel.Span, taken map[string]bool,
	progress func(float64)) (out store.Outcome, err error) {
	parts, names, err := partsOf(t, o.Kind, Settings{All: true})
	if err != nil {
		return out, err
	}
	session := o.Library.Session(ctx)
	defer session.Close()
	src, err := session.OpenTake(t)
	if err != nil {
		return out, err
	}
	whole := int64(0)
	for _, s := range spans {
		whole += s.To - s.From
	}
	if err := o.Room(whole * int64(src.FrameBytes())); err != nil {
		return out, err
	}
	staging := o.staging() + "/" + t.ID
	defer func() {
		if err != nil {
			_ = o.Media.RemoveAll(staging)
		}
	}()
	var files []handover.File
	done := int64(0)
	for _, s := range spans {
		f := handover.File{Name: unique(names[0], taken), Take: t.ID, First: s.From, Frames: s.To - s.From}
		before := done
		if f.SHA256, err = o.writeStretch(ctx, src, t.Description, parts, f, staging, func(share float64) {
			progress((float64(before) + share*float64(f.Frames)) / float64(max(1, whole)))
		}); err != nil {
			return out, err
		}
		done += f.Frames
		info, err := o.Media.Stat(staging + "/" + f.Name)
		if err != nil {
			return out, err
		}
		files = append(files, f)
		out.Files = append(out.Files, store.WrittenFile{Name: f.Name, Size: info.Size(), Tracks: unravel.Names(parts[0], t.Description)})
	}
	out.OK, out.Folder = true, batchFolder(o.ID)+"/"+o.claim.Token+"-"+t.ID
	if err := o.Media.Publish(staging, out.Folder); err != nil {
		return out, err
	}
	o.pack.Files = append(o.pack.Files, files...)
	for _, f := range files {
		o.sums = append(o.sums, f.SHA256+"  "+f.Name)
	}
	return out, nil
}

// writeStretch writes one stretch and gives the SHA-256 of its file.
func (o *reelOut) writeStretch(ctx context.Context, src *wave.File, d take.Description, parts []take.Part, f handover.File, folder string,
	progress func(float64)) (string, error) {
	part, err := src.Stretch(f.First, f.Frames)
	if err != nil {
		return "", err
	}
	if start := f.First; d.StartSamples != nil || start > 0 { // a piece tells where in its take it lies
		if d.StartSamples != nil {
			start += *d.StartSamples
		}
		d.StartSamples = &start
	}
	return o.summed(folder+"/"+f.Name, func(to io.Writer) error {
		return unravel.Write(ctx, part, d, parts, []io.Writer{to}, progress)
	})
}

// summed writes a file to the disk and gives its SHA-256.
func (o *reelOut) summed(key string, write func(io.Writer) error) (string, error) {
	file, err := o.Media.Create(key)
	if err != nil {
		return "", err
	}
	defer file.Close()
	sum := sha256.New()
	if err := write(io.MultiWriter(file, sum)); err != nil {
		return "", err
	}
	return hex.EncodeToString(sum.Sum(nil)), file.Sync()
}

// writeTracks writes every track on which something lies at the length of the reel.
func (o *reelOut) writeTracks(ctx context.Context, report []store.Outcome) (out store.Outcome, err error) {
	r, taken := o.open.Reel, namesOf(report)
	session := o.Library.Session(ctx)
	defer session.Close()
	staging := o.staging() + "/tracks"
	tracks := slices.DeleteFunc(r.TrackList(), func(t reel.Track) bool {
		return !slices.ContainsFunc(r.ClipList(), func(c reel.Clip) bool { return c.Track == t.ID && !c.Mute })
	})
	span := engine.Whole(r)
	width := 0
	for _, t := range tracks {
		width += len(t.Labels)
	}
	if err := o.Room((span.To - span.From) * int64(width) * 4); err != nil {
		return out, err
	}
	for i, t := range tracks {
		name := unique(unravel.FileSafe(fmt.Sprintf("%s_%02d_%s", o.open.Name, i+1, t.Name))+".wav", taken)
		h := wave.Header{Bext: &wave.Bext{TimeReference: max(0, span.From)}, IXML: &wave.IXML{Version: "2.10", Tracks: namedTracks(t)}}
		share := 0.35 / float64(len(tracks))
		sum, err := o.summed(staging+"/"+name, func(to io.Writer) error {
			return engine.Flatten(ctx, r, t.ID, span, session.Open, to, h, o.progress(ctx, 0.6+share*float64(i), 0.6+share*float64(i+1)))
		})
		if err != nil {
			return out, err
		}
		info, err := o.Media.Stat(staging + "/" + name)
		if err != nil {
			return out, err
		}
		o.sums = append(o.sums, sum+"  "+name)
		out.Files = append(out.Files, store.WrittenFile{Name: name, Size: info.Size(), Tracks: settledNames(t)})
	}
	out.OK, out.Title, out.Folder = true, "Tracks at full length", batchFolder(o.ID)+"/"+o.claim.Token+"-tracks"
	return out, o.Media.Publish(staging, out.Folder)
}

func namedTracks(t reel.Track) *wave.IXMLTracks {
	names := settledNames(t)
	tracks := &wave.IXMLTracks{Count: fmt.Sprint(len(names))}
	for i, name := range names {
		n := fmt.Sprint(i + 1)
		tracks.Tracks = append(tracks.Tracks, wave.IXMLTrack{ChannelIndex: n, InterleaveIndex: n, Name: name})
	}
	return tracks
}

// beside tells which file holds the sound of a clip.
func (o *reelOut) beside(c reel.Clip) (cutlist.Audio, bool) {
	f, there := o.pack.FileOf(c)
	d := o.takes[c.Take].Description
	a := cutlist.Audio{File: f.Name, Title: o.takes[c.Take].Title(), Roll: d.Roll, Scene: d.Scene, Take: d.Take, First: f.First,
		Frames: f.Frames}
	if d.StartSamples != nil {
		a.From = *d.StartSamples
	}
	return a, there
}

// writeLists writes the reel in every form, the paper and the sums.
func (o *reelOut) writeLists(report []store.Outcome) (out store.Outcome, notes []string, err error) {
	r, base := o.open.Reel, unravel.FileSafe(o.open.Name)
	l := cutlist.Of(r, o.beside)
	names := map[string]string{"otio": base + ".otio", "adl": base + ".adl", "edl": base + ".edl", "csv": base + ".csv",
		"sums": base + ".sha256"}
	texts := map[string]*bytes.Buffer{}
	for kind := range names {
		texts[kind] = &bytes.Buffer{}
	}
	// A CMX 3600 list has no tracks for all microphones of a take: one event stands for them.
	plain := l
	plain.Events = l.Spoken()
	for i := range plain.Events {
		plain.Events[i].Fade = 0
	}
	off, err := cutlist.WriteEDL(texts["edl"], plain, r.Head.SampleRate)
	for _, write := range []func() error{
		func() error { return handover.WriteOTIO(texts["otio"], o.pack, l, dyes) },
		func() error { return cutlist.WriteADL(texts["adl"], r, o.beside) },
		func() error { return handover.WriteTable(texts["csv"], o.pack, o.beside) },
	} {
		if err == nil {
			err = write()
		}
	}
	if err != nil {
		return out, nil, err
	}
	var missing []string
	for _, done := range report {
		if !done.OK {
			missing = append(missing, done.Title+": "+done.Message)
		}
	}
	paper := handover.Paper(o.pack, names, off, missing)
	names["paper"], texts["paper"] = base+" read me.txt", bytes.NewBufferString(paper)
	if out, err = o.writeTexts(names, texts); err != nil {
		return out, nil, err
	}
	if len(missing) > 0 {
		notes = []string{fmt.Sprintf("%d takes could not be written", len(missing))}
	}
	return out, append(notes, l.Notes...), nil
}

// writeTexts writes the files of text, and last the sums of all that was written.
func (o *reelOut) writeTexts(names map[string]string, texts map[string]*bytes.Buffer) (out store.Outcome, err error) {
	staging := o.staging() + "/text"
	out.Files = []store.WrittenFile{}
	for _, kind := range []string{"otio", "adl", "edl", "csv", "paper", "sums"} {
		if kind == "sums" {
			texts[kind] = bytes.NewBufferString(strings.Join(o.sums, "\n") + "\n")
		}
		b := texts[kind].Bytes()
		sum, err := o.summed(staging+"/"+names[kind], func(to io.Writer) error {
			_, err := to.Write(b)
			return err
		})
		if err != nil {
			return out, err
		}
		o.sums = append(o.sums, sum+"  "+names[kind])
		out.Files = append(out.Files, store.WrittenFile{Name: names[kind], Size: int64(len(b)), Tracks: []string{}})
	}
	out.OK, out.Title, out.Folder = true, "Lists", batchFolder(o.ID)+"/"+o.claim.Token+"-text"
	return out, o.Media.Publish(staging, out.Folder)
}

// ReadHandedOver makes a reel of what HandReelOver wrote, on takes of the production that are the same sound. It is NotFound
// where files lack, and names them.
func (r *Runner) ReadHandedOver(ctx context.Context, p store.Production, author, name string, text []byte) (id string, notes []string,
	err error) {
	pack, notes, err := handover.Read(text, p.SampleRate)
	if err != nil {
		return "", nil, err
	}
	all, err := r.Store.Takes(ctx, p.ID)
	if err != nil {
		return "", nil, err
	}
	var takes []handover.Take
	for _, t := range all {
		takes = append(takes, handed(t))
	}
	laid, more, missing := pack.Onto(takes, func(id string) bool {
		_, err := r.Store.CutList(ctx, id)
		return err == nil
	})
	if n := len(missing); n > 0 {
		return "", nil, fault.New(fault.NotFound, "Bring these files in under Takes first, then read the reel again: %s",
			shortened(missing))
	}
	if name == "" {
		if name, err = r.freeName(ctx, p.ID, laid.Head.Name); err != nil {
			return "", nil, err
		}
	}
	o, err := r.Store.CreateReelOf(ctx, p, name, &laid.Head.Start, author, reel.Handed{Reel: laid})
	return o.ID, append(notes, more...), err
}

// freeName is the name, or one with a number where a reel of the production has it already.
func (r *Runner) freeName(ctx context.Context, production, name string) (string, error) {
	reels, err := r.Store.Reels(ctx, production)
	taken := map[string]bool{}
	for _, o := range reels {
		taken[o.Name] = true
	}
	free := name
	for n := 2; taken[free]; n++ {
		free = fmt.Sprintf("%s (%d)", name, n)
	}
	return free, err
}

// shortened names a few of many.
func shortened(names []string) string {
	if n := len(names) - 8; n > 0 {
		return fmt.Sprintf("%s, and %d more", strings.Join(names[:8], ", "), n)
	}
	return strings.Join(names, ", ")
}
