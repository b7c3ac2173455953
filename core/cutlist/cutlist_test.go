package cutlist

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

var (
	r25  = timecode.Rate{Num: 25, Den: 1}
	r30d = timecode.Rate{Num: 30000, Den: 1001, Drop: true}
)

const second = 48000

// The list was written by hand, and so were the samples that are expected of it: 10:00:32:00 at 25 frames and 48 kHz is
// (36000 + 32) × 48000.
const crossing = "TITLE:   The crossing, cut 1\r\nFCM: NON-DROP FRAME\r\n\r\n" +
	"001  LF03     AA/V  C        10:00:32:00 10:00:36:12 01:00:02:00 01:00:06:12\r\n* FROM CLIP NAME:  12A-3\r\n* SOURCE FILE: LF03_12A_T03.WAV\r\n" +
	"002  LF03     V     C        10:05:00:00 10:05:01:00 01:00:06:12 01:00:07:12\r\n" +
	"002  LF03     A2    C        10:05:00:00 10:05:01:00 01:00:06:12 01:00:07:12\r\n" +
	"003  BL       AA/V  C        00:00:00:00 00:00:01:00 01:00:07:12 01:00:08:12\r\n" +
	"004  LF03     B     C        10:06:00:00 10:06:00:00 01:00:08:12 01:00:08:12\r\n" +
	"004  LF04     B     D    012 11:00:00:00 11:00:02:00 01:00:08:12 01:00:10:12\r\n* FROM CLIP NAME: 12B-1\r\n* TO CLIP NAME: 14-1\r\n" +
	"005  AX       NONE  C        00:00:10:00 00:00:12:00 01:00:10:12 01:00:12:12\r\nAUD  3    4\r\nM2   AX       012.5                00:00:10:00\r\n" +
	"006  LF03     A     C        10:00:32:00 nonsense 01:00:12:12 01:00:13:12\r\n"

func TestEDL(t *testing.T) {
	l, err := Read(strings.NewReader(crossing), r25, second)
	require.NoError(t, err)
	assert.Equal(t, "The crossing, cut 1", l.Title)
	hour := int64(3600 * second)
	want := []Event{
		{ID: "001", Picture: true, Sound: true, Roll: "LF03", Name: "12A-3", File: "LF03_12A_T03.WAV", Channels: []int{1, 2},
			From: hour + 2*second, To: hour + 6*second + 12*1920, SourceIn: (36000 + 32) * second},
		{ID: "002", Picture: true, Roll: "LF03", From: hour + 6*second + 12*1920, To: hour + 7*second + 12*1920, SourceIn: 36300 * second},
		{ID: "002.2", Sound: true, Roll: "LF03", Channels: []int{2}, From: hour + 6*second + 12*1920, To: hour + 7*second + 12*1920,
			SourceIn: 36300 * second},
		{ID: "004", Picture: true, Sound: true, Roll: "LF04", Name: "14-1", Channels: []int{1}, From: hour + 8*second + 12*1920,
			To: hour + 10*second + 12*1920, SourceIn: 11 * hour, Fade: 12 * 1920},
		{ID: "005", Sound: true, Channels: []int{3, 4}, From: hour + 10*second + 12*1920, To: hour + 12*second + 12*1920, SourceIn: 10 * second,
			Speed: 0.5},
	}
	assert.Equal(t, want, l.Events)
	require.Len(t, l.Notes, 1)
	assert.Contains(t, l.Notes[0], "Line 17: this event can't be read")
	assert.Len(t, l.Spoken(), 4, "what only the picture has is not laid")
}

func TestDropFrameEDL(t *testing.T) {
	const text = "TITLE: x\nFCM: DROP FRAME\n001 AX A C 00:00:00:00 00:01:00:02 01:00:00;00 01:01:00;02\n"
	l, err := Read(strings.NewReader(text), r30d, second)
	require.NoError(t, err)
	assert.True(t, l.FrameRate.Drop)
	// A minute of drop-frame labels to ;02 is 1800 frames of 1001/30000 s.
	assert.Equal(t, int64(1800)*second*1001/30000, l.Events[0].Length())
}

func TestWhatIsNoList(t *testing.T) {
	for name, text := range map[string]string{
		"nothing": "", "words": "Dear all,\nthe cut is late.", "only black": "001 BL V C 00:00:00:00 00:00:01:00 01:00:00:00 01:00:01:00",
		"half a timeline": `{"OTIO_SCHEMA":"Timeline.1","tracks":{`, "another object": `{"OTIO_SCHEMA":"Marker.2"}`,
		"a long line": "001 " + strings.Repeat("x", 2<<20),
	} {
		_, err := Read(strings.NewReader(text), r25, second)
		assert.Equal(t, fault.BadInput, fault.KindOf(err), "%s: %v", name, err)
	}
}

// A timeline as other programs write it: times in frames, clips of the second schema, a gap, a nested stack, a
// transition, a clip switched off.
const timeline = `{"OTIO_SCHEMA":"Timeline.1","name":"The crossing","global_start_time":{"OTIO_SCHEMA":"RationalTime.1","rate":25.0,"value":90000.0},
"tracks":{"OTIO_SCHEMA":"Stack.1","children":[{"OTIO_SCHEMA":"Track.1","name":"A1","kind":"Audio","children":[
 {"OTIO_SCHEMA":"Gap.1","source_range":{"start_time":{"rate":25,"value":0},"duration":{"rate":25,"value":50}}},
 {"OTIO_SCHEMA":"Clip.2","name":"12A-3","source_range":{"start_time":{"rate":25,"value":900800},"duration":{"rate":25,"value":100}},
  "media_references":{"DEFAULT_MEDIA":{"OTIO_SCHEMA":"ExternalReference.1","target_url":"file:///card/LF03%20a/LF03_12A_T03.wav","available_range":{"start_time":{"rate":48000,"value":1729536000},"duration":{"rate":48000,"value":960000}}}},
  "active_media_reference_key":"DEFAULT_MEDIA","metadata":{"editor":{"Tape":"LF03"}}},
 {"OTIO_SCHEMA":"Transition.1","in_offset":{"rate":25,"value":5},"out_offset":{"rate":25,"value":5}},
 {"OTIO_SCHEMA":"Stack.1","source_range":{"start_time":{"rate":25,"value":10},"duration":{"rate":25,"value":20}},"children":[
   {"OTIO_SCHEMA":"Track.1","kind":"Audio","children":[{"OTIO_SCHEMA":"Clip.1","name":"14-1","source_range":{"start_time":{"rate":25,"value":0},"duration":{"rate":25,"value":500}},"media_reference":null}]}]},
 {"OTIO_SCHEMA":"Clip.1","name":"off","enabled":false,"source_range":{"start_time":{"rate":25,"value":0},"duration":{"rate":25,"value":5}}},
 {"OTIO_SCHEMA":"Clip.1","name":"slow","effects":[{"OTIO_SCHEMA":"LinearTimeWarp.1","time_scalar":0.5}],"source_range":{"start_time":{"rate":25,"value":0},"duration":{"rate":25,"value":25}}}]}]}}`

func TestOTIO(t *testing.T) {
	l, err := Read(strings.NewReader(timeline), timecode.Rate{Num: 24, Den: 1}, second)
	require.NoError(t, err)
	assert.Equal(t, r25, l.FrameRate)
	hour := int64(3600 * second)
	at := func(frames int64) int64 { return hour + frames*1920 }
	assert.Equal(t, []Event{
		{ID: "1", Sound: true, Roll: "LF03", Name: "12A-3", File: "LF03_12A_T03.wav", Track: "A1", From: at(50), To: at(150),
			SourceIn: 900800 * 1920, FileFrom: 36032 * second},
		{ID: "2", Sound: true, Name: "14-1", Track: "A1", From: at(150), To: at(170), SourceIn: 10 * 1920, Fade: 10 * 1920},
		{ID: "3", Sound: true, Name: "slow", Track: "A1", From: at(175), To: at(200), Speed: 0.5},
	}, l.Events)
}

// What is written is read again as the same events: OTIO to the sample, EDL to the frame.
func TestRoundTrips(t *testing.T) {
	events := []Event{
		{ID: "1", Sound: true, Roll: "LF03", Name: "12A, take 3", File: "LF03_12A_T03.wav", Scene: "12A", Take: "3", Track: "Boom",
			Channels: []int{3}, From: 36000*second + 17, To: 36004 * second, SourceIn: 36032*second + 5, FileFrom: 36032 * second},
		{ID: "2", Sound: true, Roll: "LF03", Name: "12B, take 1", File: "LF03_12B_T01.wav", Track: "Boom", Channels: []int{3},
			From: 36003*second + 40001, To: 36010 * second, SourceIn: 40000 * second, Fade: 7999},
		{ID: "3", Sound: true, Name: "Bell", File: "Bell.wav", Track: "Boom", From: 36005 * second, To: 36006 * second, SourceIn: 0},
		{ID: "4", Picture: true, Name: "A003", Track: "V", Roll: "A003", From: 36000 * second, To: 36010 * second, SourceIn: 3 * second},
	}
	l := List{Title: "Reel 1", FrameRate: r25, Events: events}
	var otio bytes.Buffer
	require.NoError(t, WriteOTIO(&otio, l, second))
	back, err := Read(&otio, timecode.Rate{Num: 24, Den: 1}, second)
	require.NoError(t, err)
	assert.Equal(t, r25, back.FrameRate)
	require.Len(t, back.Events, 4)
	byName := map[string]Event{}
	for _, e := range back.Events {
		byName[e.Name] = e
	}
	// A crossfade of 7999 samples is divided in its middle; its two halves still say how long it is.
	first, second2 := byName["12A, take 3"], byName["12B, take 1"]
	assert.Equal(t, first.To, second2.From)
	assert.Equal(t, int64(7999), second2.Fade)
	assert.Equal(t, events[1].SourceIn-events[1].From, second2.SourceIn-second2.From, "the source lies where it lay")
	assert.Equal(t, events[0].From, first.From)
	assert.Equal(t, events[0].SourceIn, first.SourceIn)
	assert.Equal(t, events[0].Channels, first.Channels)
	assert.Equal(t, [3]string{"LF03", "12A", "3"}, [3]string{first.Roll, first.Scene, first.Take})
	assert.Equal(t, "Boom (2)", byName["Bell"].Track, "what overlaps lies on a track of its own")
	assert.True(t, byName["A003"].Picture)

	var edl bytes.Buffer
	off, err := WriteEDL(&edl, l, second)
	require.NoError(t, err)
	assert.Equal(t, 2, off, "events that do not lie on frames")
	back, err = Read(&edl, r25, second)
	require.NoError(t, err)
	require.Len(t, back.Events, 4)
	for _, e := range back.Events {
		i := int(e.ID[2] - '1')
		assert.Equal(t, events[i].Name, e.Name)
		assert.Equal(t, events[i].File, e.File)
		assert.Equal(t, r25.LabelAt(events[i].From, second), r25.LabelAt(e.From, second))
		assert.Equal(t, r25.LabelAt(events[i].SourceIn, second), r25.LabelAt(e.SourceIn, second))
	}
}

func at(label string) int64 { s, _ := r25.ParseSample(label, second); return int64(s) }

func TestFind(t *testing.T) {
	start := func(label string) *int64 { s := at(label); return &s }
	sources := []Source{
		{ID: "a", Title: "12A/2", File: "LF03_12A_T02.wav", Roll: "LF03", Scene: "12A", Take: "2", Start: start("10:00:12:00"),
			Frames: 6 * second},
		{ID: "b", Title: "12A/3", File: "LF03_12A_T03.wav", Roll: "LF03", Scene: "12A", Take: "3", Start: start("10:00:32:00"),
			Frames: 20 * second},
		{ID: "c", Title: "12A/3 of another day", File: "LF05_12A_T03.wav", Roll: "LF05", Scene: "12A", Take: "3", Start: start("10:00:32:00"),
			Frames: 20 * second},
		{ID: "d", Title: "Bell", File: "Bell.wav", Frames: 4 * second},
		{ID: "e", Title: "A003/7", File: "A003_0007.mov", Roll: "A003", Start: start("02:00:00:00"), Frames: 10 * second, Camera: true},
		{ID: "f", Title: "14/1", File: "LF03_14_T01.wav", Roll: "LF03", Scene: "14", Take: "1", Start: start("13:00:00:00"), Frames: 9 * second,
			SyncTo: "e", Later: 2 * second},
	}
	for name, c := range map[string]struct {
		event  Event
		take   string
		offset int64
		why    string
	}{
		"roll and timecode":             {Event{Roll: "lf03", SourceIn: at("10:00:33:00"), To: second}, "b", second, ""},
		"another roll at the same time": {Event{Roll: "LF05", SourceIn: at("10:00:33:00"), To: second}, "c", second, ""},
		"scene and take, of two rolls": {Event{Name: "12A-3", SourceIn: at("10:00:33:00"), To: second}, "b", second,
			"12A/3 of another day fits as well"},
		"file":                          {Event{File: "LF05_12A_T03.aif", SourceIn: at("10:00:33:00"), To: second}, "c", second, ""},
		"the clip's name is the file's": {Event{Name: "Bell", SourceIn: second / 2, To: second}, "d", second / 2, ""},
		"name in the way of slates":     {Event{Name: "12a take 02", SourceIn: at("10:00:12:00"), To: second}, "a", 0, ""},
		"longer than the take": {Event{Roll: "LF03", SourceIn: at("10:00:17:00"), To: 2*second - 1920}, "a", 5 * second,
			"shorter than the list asks for, by 24 frames"},
		"the roll is here, the time is not": {Event{Roll: "LF03", SourceIn: at("11:00:00:00"), To: second}, "", 0,
			"Takes of roll LF03 are here, but none holds 11:00:00:00"},
		"the roll is not here": {Event{Roll: "LF09", SourceIn: at("10:00:33:00"), To: second}, "", 0,
			"No take of roll LF09 is here"},
		"a name that nothing has": {Event{Name: "99-1", SourceIn: at("23:00:33:00"), To: second}, "", 0,
			"No take is here that is called 99-1"},
		"timecode alone is doubtful of two": {Event{SourceIn: at("10:00:33:00"), To: second}, "b", second, "fits as well"},
		"a file at a time that it has not": {Event{File: "LF03_12A_T03.wav", SourceIn: at("12:00:00:00"), To: second}, "", 0,
			"none holds 12:00:00:00"},
		"a camera leads to the sound in sync": {Event{Roll: "A003", SourceIn: at("02:00:05:00"), To: second}, "f", 3 * second, ""},
		"before the recorder ran":             {Event{Roll: "A003", SourceIn: at("02:00:00:12"), To: second}, "e", 12 * 1920, ""},
		"a file without a clock counts from0": {Event{File: "Bell.wav", SourceIn: 0, To: second}, "d", 0, ""},
	} {
		f := Find(c.event, sources, r25, second)
		assert.Equal(t, c.take, f.Take, "%s: %+v", name, f)
		assert.Contains(t, f.Why, c.why, name)
		if c.take != "" {
			assert.Equal(t, c.offset, f.Offset, name)
		}
		if c.why == "" {
			assert.Empty(t, f.Why, name)
		}
	}
}

func TestOntoAReel(t *testing.T) {
	for _, c := range []struct{ name, list, reel, want string }{
		{"as it is", "10:00:02:00", "10:00:00:00", "10:00:02:00"},
		{"another hour", "01:00:02:00", "10:00:00:00", "10:00:02:00"},
		{"a later hour", "14:01:00:00", "10:00:00:00", "10:01:00:00"},
		{"a leader in the hour before", "00:59:50:00", "01:00:00:00", "00:59:50:00"},
		{"a leader, and another hour", "00:58:30:00", "10:00:00:00", "09:58:30:00"},
		{"a reel that begins off the hour", "10:00:08:00", "10:00:07:13", "10:00:08:00"},
		{"a reel off the hour, another hour", "01:00:08:00", "10:00:07:13", "10:00:08:00"},
		{"a reel that begins with its leader", "01:00:00:00", "09:58:00:00", "10:00:00:00"},
		{"over midnight", "23:59:50:00", "00:00:00:00", "00:59:50:00"},
		{"a reel that ends beyond midnight", "00:20:00:00", "23:00:00:00", "00:20:00:00"},
	} {
		moved, by := Onto([]Event{{From: at(c.list), To: at(c.list) + second}}, at(c.reel), r25, second)
		assert.Equal(t, c.want, r25.LabelAt(moved[0].From, second), c.name)
		assert.Equal(t, int64(second), moved[0].Length(), c.name)
		assert.Zero(t, by%(3600*second), "%s: only hours are added", c.name)
		assert.GreaterOrEqual(t, moved[0].From, int64(0), c.name)
	}
	// Where 24 frames are counted to 23.976, an hour of the clock lasts 3603.6 s.
	film := timecode.Rate{Num: 24000, Den: 1001}
	ten, one := film.SampleOf(10*3600*24, 48000), film.SampleOf(3600*24+48, 48000)
	moved, _ := Onto([]Event{{From: one, To: one + 48000}}, ten, film, 48000)
	assert.Equal(t, "10:00:02:00", film.LabelAt(moved[0].From, 48000))
}

func TestACutOverMidnight(t *testing.T) {
	day := r25.Day(second)
	list := []Event{{ID: "late", From: at("00:04:00:00"), To: at("00:05:00:00")},
		{ID: "early", From: at("23:50:00:00"), To: at("23:51:00:00")}}
	moved, by := Onto(list, at("23:30:00:00"), r25, second)
	assert.Zero(t, by)
	assert.Equal(t, []int64{at("00:04:00:00") + day, at("23:50:00:00")}, []int64{moved[0].From, moved[1].From})
	// The take began before midnight, and the event asks for what it recorded after it.
	start := at("23:55:00:00")
	f := Find(Event{Roll: "LF09", SourceIn: at("00:01:00:00"), From: 0, To: second},
		[]Source{{ID: "t", Roll: "LF09", Start: &start, Frames: 600 * second}}, r25, second)
	assert.Equal(t, "t", f.Take)
	assert.Equal(t, int64(360*second), f.Offset)
}

func TestCompare(t *testing.T) {
	ev := func(name string, from, to, in int64) Event {
		return Event{ID: name, Name: name, From: from * second, To: to * second, SourceIn: in * second}
	}
	var before []Entry
	for _, e := range []Event{ev("a", 0, 10, 100), ev("b", 10, 20, 200), ev("c", 20, 30, 300), ev("d", 30, 40, 400), ev("late", 40, 41, 500)} {
		before = append(before, Entry{e, Found{Take: "t"}})
	}
	before[4].Found.Take = ""
	// b is gone, c is 2 s longer at its end, a is now in two halves around a new one, d only moves.
	after := []Event{ev("a", 0, 5, 100), ev("new", 5, 8, 900), ev("a", 8, 13, 105), ev("c", 13, 25, 300), ev("d", 25, 35, 400),
		ev("late", 35, 36, 500)}
	c := Compare(before, after, r25, second)
	var got []string
	for _, p := range c.Pieces {
		got = append(got, fmt.Sprintf("%d-%d%+d", p.From/second, p.To/second, p.By/second))
	}
	assert.Equal(t, []string{"0-5+0", "5-10+3", "20-30-7", "30-40-5", "40-41-5"}, got)
	assert.Equal(t, []reel.Span{{From: 10 * second, To: 20 * second}}, c.Gone)
	var words []string
	for _, d := range c.Differences {
		words = append(words, fmt.Sprintf("%s %s: %s", d.Kind, d.Title, d.Words))
	}
	assert.Equal(t, []string{
		"trimmed a: 125 frames shorter at the end", "new new: is new", "trimmed a: moved 75 frames later, 125 frames shorter at the start",
		"gone b: is no longer in the cut",
		"trimmed c: moved 175 frames earlier, 50 frames longer at the end", "moved d: moved 125 frames earlier", "new late: was not found before",
	}, words)
	require.Len(t, c.Fresh, 3)
	assert.Equal(t, "new", c.Fresh[0].Name)
	grown := c.Fresh[1]
	assert.Equal(t, []int64{23 * second, 25 * second, 310 * second}, []int64{grown.From, grown.To, grown.SourceIn}, "what c grew by")
	assert.Equal(t, "late", c.Fresh[2].Name)
}

func TestEventsThatLastNoTime(t *testing.T) {
	list := "TITLE: Crossing\n001  LF03 AA C 10:00:00:00 10:00:02:00 01:00:00:00 01:00:02:00\n" +
		"002  LF03 AA C 10:00:02:00 10:00:02:00 01:00:02:00 01:00:02:00\n002  LF04 AA D 012 11:00:00:00 11:00:00:00 01:00:02:00 01:00:02:00\n" +
		"003  LF04 AA D 000 11:00:00:00 11:00:01:00 01:00:02:00 01:00:03:00\n"
	l, err := Read(strings.NewReader(list), r25, second)
	require.NoError(t, err)
	require.Len(t, l.Events, 2)
	assert.Equal(t, []string{"Events that last no time at all are left out: 1"}, l.Notes)
	assert.Zero(t, l.Events[1].Fade)
	// A clip shorter than a frame is an event of one.
	var out bytes.Buffer
	off, err := WriteEDL(&out, List{FrameRate: r25, Events: []Event{{Sound: true, Name: "Creak", From: 100, To: 101}}}, second)
	require.NoError(t, err)
	assert.Equal(t, 1, off)
	l, err = Read(&out, r25, second)
	require.NoError(t, err)
	assert.EqualValues(t, second/25, l.Events[0].Length())
}

func TestCompareOfASourceThatWasCutOften(t *testing.T) {
	const n = 2000
	var before []Entry
	var after []Event
	for i := range int64(n) {
		e := Event{ID: fmt.Sprint(i), Name: "Water", From: i * second, To: (i + 1) * second, SourceIn: 7 * second}
		before = append(before, Entry{e, Found{Take: "t"}})
		if i != 5 {
			after = append(after, e)
		}
	}
	for i := range after[5:] { // one is gone, and what follows closes up
		after[5+i].From -= second
		after[5+i].To -= second
	}
	c := Compare(before, after, r25, second)
	assert.Len(t, c.Pieces, n-1)
	assert.Empty(t, c.Fresh)
	require.Len(t, c.Gone, 1)

	// All of it an hour later: the nearest of the old events are the same few for all of the new ones.
	later := make([]Event, 300)
	for i := range later {
		later[i] = before[i].Event
		later[i].From += 3600 * second
		later[i].To += 3600 * second
	}
	c = Compare(before[:len(later)], later, r25, second)
	assert.Len(t, c.Pieces, len(later))
	assert.Empty(t, c.Gone)

	// Each of the old events begins a little later in the source, so that all the new ones want the same of them.
	for i := range later {
		before[i].SourceIn += int64(i)
	}
	c = Compare(before[:len(later)], later, r25, second)
	assert.Len(t, c.Pieces, len(later))
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(crossing), false)
	f.Add([]byte(timeline), true)
	f.Add([]byte("001 AX A C 00:00:00;02 00:01:00;02 23:59:59;29 00:00:01;00"), true)
	f.Fuzz(func(t *testing.T, text []byte, drop bool) {
		rate := r25
		if drop {
			rate = r30d
		}
		l, err := Read(bytes.NewReader(text), rate, second)
		if err != nil {
			return
		}
		// Whatever can be read can be written, and read again.
		var out bytes.Buffer
		require.NoError(t, WriteOTIO(&out, l, second))
		_, err = Read(&out, rate, second)
		require.NoError(t, err)
		out.Reset()
		_, err = WriteEDL(&out, l, second)
		require.NoError(t, err)
		again, err := Read(&out, rate, second)
		require.NoError(t, err)
		require.Len(t, again.Events, len(l.Events))
	})
}
