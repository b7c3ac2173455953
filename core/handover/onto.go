package handover

import (
	"strings"

	"zestyloom/core/reel"
)

// finder tells which take of a production is meant by one of the package.
type finder struct {
	of    Package
	whole map[string]string // by the package's take: the same take
	parts map[string]string // by the file's name: the take that is this file
	known map[string]Take
}

func (p Package) finder(takes []Take) finder {
	f := finder{p, map[string]string{}, map[string]string{}, map[string]Take{}}
	for _, t := range takes {
		f.known[t.ID] = t
	}
	for _, want := range p.Takes {
		if have, there := f.known[want.ID]; there && have.alike(want) {
			f.whole[want.ID] = want.ID
			continue
		}
		for _, have := range takes {
			if have.SHA256 != "" && have.SHA256 == want.SHA256 && have.alike(want) {
				f.whole[want.ID] = have.ID
				break
			}
		}
	}
	for _, file := range p.Files {
		if id, there := f.fileAmong(file, takes); there {
			f.parts[file.Name] = id
		}
	}
	return f
}

// alike tells whether a take can stand for another: sound of the same length, rate and channels.
func (t Take) alike(u Take) bool {
	return t.Frames == u.Frames && t.SampleRate == u.SampleRate && t.Channels == u.Channels
}

func (f finder) fileAmong(file File, takes []Take) (id string, there bool) {
	want := Take{Frames: file.Frames}
	for _, t := range f.of.Takes {
		if t.ID == file.Take {
			want.SampleRate, want.Channels = t.SampleRate, t.Channels
		}
	}
	for _, have := range takes {
		if file.SHA256 != "" && have.SHA256 == file.SHA256 && have.alike(want) {
			return have.ID, true
		}
	}
	for _, have := range takes {
		if strings.EqualFold(have.File, file.Name) && have.alike(want) {
			return have.ID, true
		}
	}
	return "", false
}

// take finds the take that has a stretch of one of the package, and the frame of that one that is its first.
func (f finder) take(id string, s reel.Span) (now string, first int64, there bool) {
	if now, there = f.whole[id]; there {
		return now, 0, true
	}
	for _, file := range f.of.Files {
		if file.Take == id && file.holds(s) {
			if now, there = f.parts[file.Name]; there {
				return now, file.First, true
			}
		}
	}
	return "", 0, false
}

// clip gives a clip on the takes that are there. The names of files that are not go to lack.
func (f finder) clip(c reel.Clip, lack map[string]bool) (reel.Clip, bool) {
	span := reel.Span{From: c.Offset, To: c.Offset + c.Length}
	now, first, there := f.take(c.Take, span)
	if !there {
		lack[f.name(c.Take, span)] = true
		return c, false
	}
	c = c.Onto(now, first, f.known[now].Frames)
	for i, l := range c.Lanes {
		for j, b := range l.Borrowed {
			span := b.Uses()
			now, first, there := f.take(b.Take, span)
			if !there {
				lack[f.name(b.Take, span)] = true
				return c, false
			}
			c.Lanes[i].Borrowed[j] = b.Onto(now, first)
		}
	}
	settled := c.Settled
	c.Settled = nil
	for _, s := range settled {
		was, ok := f.clip(s, map[string]bool{})
		if !ok {
			c.Settled = nil
			break
		}
		c.Settled = append(c.Settled, was)
	}
	return c, true
}

// name is what has to be brought in for a stretch of a take.
func (f finder) name(take string, s reel.Span) string {
	if file, there := f.of.holding(take, s); there {
		return file.Name
	}
	for _, t := range f.of.Takes {
		if t.ID == take {
			return t.File
		}
	}
	return take
}
