package library

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"os"

	"golang.org/x/sync/singleflight"

	"zestyloom/core/fault"
	"zestyloom/core/overview"
	"zestyloom/core/take"
	"zestyloom/core/wave"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// OverviewKey is the key of one resolution of a stream's overview: an index into overview.OverviewFrames.
func OverviewKey(folder string, stream, level int) string {
	if stream == 0 {
		return fmt.Sprintf("%s/waveform.%d", folder, overview.OverviewFrames[level])
	}
	return fmt.Sprintf("%s/waveform.%d.%d", folder, stream, overview.OverviewFrames[level])
}

// formerKey is where the overview lay that had no RMS.
func formerKey(folder string, stream, level int) string {
	if stream == 0 {
		return fmt.Sprintf("%s/overview.%d", folder, overview.OverviewFrames[level])
	}
	return fmt.Sprintf("%s/overview.%d.%d", folder, stream, overview.OverviewFrames[level])
}

// Draw writes the overview of a sound, each resolution at a key of its own, and brings it onto the disk. It gives what
// overview.Survey does.
func Draw(ctx context.Context, to *media.Folder, src *wave.File, key func(level int) string, progress func(float64)) ([]overview.Level,
	[]take.Warning, error) {
	writers := make([]io.Writer, len(overview.OverviewFrames))
	files := make([]media.File, len(overview.OverviewFrames))
	for i := range writers {
		f, err := to.Create(key(i))
		if err != nil {
			return nil, nil, err
		}
		defer f.Close()
		writers[i], files[i] = f, f
	}
	levels, warnings, err := overview.Survey(ctx, src, writers, progress)
	for _, f := range files {
		err = errors.Join(err, f.Sync())
	}
	return levels, warnings, err
}

// Overview gives count bins from one on of a take's overview, as overview.Survey wrote them. Bins beyond the end are left
// out. That of several files is put together of theirs; where one goes on in another, a bin may be cut short, which
// shifts what follows by less than a bin.
func (l Library) Overview(ctx context.Context, t store.Take, level int, from int64, count int) ([]byte, error) {
	if t.SoundKey == "" && t.Assembly == nil {
		return nil, nil
	}
	if t.Assembly == nil || t.SoundKey != "" {
		row := int64(len(t.Channels) * overview.OverviewBinBytes)
		f, size, err := l.openOverview(ctx, t, level)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		begin := min(from*row, size)
		b := make([]byte, min(int64(count)*row, size-begin))
		if _, err := f.ReadAt(b, begin); err != nil && !errors.Is(err, io.EOF) {
			return nil, err
		}
		return b, nil
	}
	width := len(t.Channels) * overview.OverviewBinBytes
	out := make([]byte, count*width)
	longest, column := 0, 0
	for _, ids := range t.Assembly.Lanes {
		bins, channels, err := l.lane(ctx, ids, level, from, count)
		if err != nil {
			return nil, err
		}
		narrow := channels * overview.OverviewBinBytes
		for i := 0; i < len(bins)/narrow; i++ {
			copy(out[i*width+column:], bins[i*narrow:(i+1)*narrow])
		}
		longest, column = max(longest, len(bins)/narrow), column+narrow
	}
	return out[:longest*width], nil
}

// drawing has each overview drawn by one at a time.
var drawing singleflight.Group

// openOverview opens one resolution of a take's overview. Takes that came before overviews had an RMS have theirs drawn anew.
func (l Library) openOverview(ctx context.Context, t store.Take, level int) (*os.File, int64, error) {
	key := OverviewKey(t.MediaKey, t.Stream, level)
	f, size, err := l.Media.Open(key)
	if !errors.Is(err, fs.ErrNotExist) {
		return f, size, err
	}
	_, err, _ = drawing.Do(OverviewKey(t.MediaKey, t.Stream, 0), func() (any, error) {
		return nil, l.redraw(context.WithoutCancel(ctx), t) // others may wait for it
	})
	if err != nil {
		return nil, 0, err
	}
	return l.Media.Open(key)
}

// redraw draws the overview of a take whose sound is there, in place of a former one.
func (l Library) redraw(ctx context.Context, t store.Take) error {
	session := l.Session(ctx)
	defer session.Close()
	src, err := session.OpenTake(t)
	if err != nil {
		return err
	}
	staged := fmt.Sprintf("attempts/redraw-%x", rand.Uint64()) // what is left of it by a kill is swept like that of any attempt
	defer l.Media.RemoveAll(staged)
	at := func(level int) string { return fmt.Sprintf("%s/%d", staged, level) }
	if _, _, err := Draw(ctx, l.Media, src, at, nil); err != nil {
		return err
	}
	for level := range overview.OverviewFrames {
		if err := l.Media.Publish(at(level), OverviewKey(t.MediaKey, t.Stream, level)); err != nil && fault.KindOf(err) != fault.Stale {
			return err
		}
		if err := l.Media.RemoveAll(formerKey(t.MediaKey, t.Stream, level)); err != nil {
			return err
		}
	}
	return nil
}

// lane gives bins of parts that follow each other.
func (l Library) lane(ctx context.Context, ids []string, level int, from int64, count int) (bins []byte, channels int, err error) {
	for _, id := range ids {
		t, err := l.Store.Take(ctx, id)
		if err != nil {
			return nil, 0, err
		}
		channels = len(t.Channels)
		frames := int64(overview.OverviewFrames[level])
		length := (t.Description.Frames + frames - 1) / frames
		if from >= length {
			from -= length
			continue
		}
		have := len(bins) / (channels * overview.OverviewBinBytes)
		b, err := l.Overview(ctx, t, level, from, count-have)
		if err != nil {
			return nil, 0, err
		}
		bins, from = append(bins, b...), 0
		if len(bins)/(channels*overview.OverviewBinBytes) >= count {
			break
		}
	}
	return bins, channels, nil
}
