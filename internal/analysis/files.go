package analysis

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"time"

	"zestyloom/core/correct"
	"zestyloom/core/layout"
	"zestyloom/core/loudness"
	"zestyloom/core/take"
	"zestyloom/internal/store"
)

// Programme is channels of a take that are one programme: a set of it, or one channel that is in none.
type Programme struct {
	ID       string   `json:"id"` // the number of its first channel, from 1
	Name     string   `json:"name"`
	Channels []int    `json:"channels"` // of the take, from 0
	Labels   []string `json:"labels"`   // of each
}

// Layout is what the channels are, in the order of the file.
func (p Programme) Layout() layout.Layout {
	if l, known := layout.ForLabels(p.Labels); known {
		return layout.Layout{Name: l.Name, Labels: p.Labels}
	}
	return layout.Layout{Labels: p.Labels}
}

// Programmes cuts a take into what is measured of it, in channel order.
func Programmes(t store.Take) (list []Programme) {
	for c, channel := range t.Channels {
		i := slices.IndexFunc(t.Sets, func(s take.Set) bool { return s.Kind == take.Bonded && slices.Contains(s.Channels, c+1) })
		if i < 0 {
			name := channel.Name
			if name == "" {
				name = "Channel " + strconv.Itoa(c+1)
			}
			list = append(list, Programme{ID: strconv.Itoa(c + 1), Name: name, Channels: []int{c}, Labels: []string{"M"}})
			continue
		}
		set := t.Sets[i]
		if c+1 != slices.Min(set.Channels) {
			continue
		}
		p := Programme{ID: strconv.Itoa(c + 1)}
		for n := range t.Channels {
			if at := slices.Index(set.Channels, n+1); at >= 0 {
				p.Channels, p.Labels = append(p.Channels, n), append(p.Labels, set.Labels[at])
			}
		}
		p.Name = fmt.Sprintf("%d channels", len(p.Channels))
		if l, known := layout.ForLabels(p.Labels); known {
			p.Name = string(l.Name)
		}
		list = append(list, p)
	}
	return list
}

// Measured is what was measured of a programme.
type Measured struct {
	Row   loudness.Row
	Whole *loudness.Whole // nil while it is being measured
}

// keptFile is what is known of a programme of a take.
type keptFile struct {
	now   Measured
	share float64
	fails error
	used  time.Time
	done  chan struct{} // closed when measuring ends
}

// mostFiles bounds how many programmes of files are kept, and mostOfFiles their bytes.
const (
	mostFiles   = 64
	mostOfFiles = 96 << 20
)

// LookAtTake gives what was measured of a programme of a take, and how far that has come. factor is that of oversampling for true peak: 4
// or 8.
func (k *Keeper) LookAtTake(t store.Take, p Programme, factor int) (Measured, float64, error) {
	key := fmt.Sprint(t.ID, p.Channels, p.Labels, factor, t.Description.Frames)
	k.mu.Lock()
	f := k.files[key]
	if f == nil || f.fails != nil && time.Since(f.used) > again {
		f = &keptFile{done: make(chan struct{})}
		k.files[key] = f
		k.going.Add(1)
		go k.measureFile(f, t, p, factor)
	}
	f.used = time.Now()
	k.mu.Unlock()
	select {
	case <-f.done:
	case <-time.After(patience):
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	return f.now, f.share, f.fails
}

func (k *Keeper) measureFile(f *keptFile, t store.Take, p Programme, factor int) {
	defer k.going.Done()
	var now Measured
	err := k.turn(func(ctx context.Context) error {
		session := k.Library.Session(ctx)
		defer session.Close()
		src, err := session.OpenTake(t)
		if err != nil {
			return err
		}
		now.Row, err = correct.Source{File: src, Layout: p.Layout(), Channels: p.Channels, Factor: factor, Progress: func(share float64) {
			k.mu.Lock()
			f.share = min(share, 0.99)
			k.mu.Unlock()
		}}.Measure(ctx, correct.Curves{})
		if err == nil {
			now.Whole = now.Row.Whole(0, now.Row.Hops(), loudness.Row{})
		}
		return err
	})
	k.mu.Lock()
	defer k.mu.Unlock()
	if f.fails = k.told("a take", t.ID, err); err == nil {
		f.now, f.share = now, 1
	}
	close(f.done)
	k.letGoOfFiles()
}

// turn does one thing after another that reads a whole file, so that many takes that are looked at do not take the processor from all else.
func (k *Keeper) turn(do func(context.Context) error) error {
	select {
	case k.turns <- struct{}{}:
	case <-k.ctx.Done():
		return k.ctx.Err()
	}
	defer func() { <-k.turns }()
	return do(k.ctx)
}

// letGoOfFiles forgets the files that were not looked at for longest, where more is kept than may be.
func (k *Keeper) letGoOfFiles() {
	for {
		var size int64
		oldest, free := "", 0
		for key, f := range k.files {
			if f.now.Whole == nil && f.fails == nil {
				continue
			}
			free++
			size += f.now.Row.Size()
			if oldest == "" || f.used.Before(k.files[oldest].used) {
				oldest = key
			}
		}
		if free < 2 || size <= mostOfFiles && free <= mostFiles {
			return
		}
		delete(k.files, oldest)
	}
}
