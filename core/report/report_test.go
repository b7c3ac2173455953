package report

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/take"
)

func TestReportsAreReadBack(t *testing.T) {
	yes, no := true, false
	code := "10:00:12:00"
	lines := []Line{
		Of(take.Description{Roll: "LF03", Scene: "12A", Take: "3", Note: `rope "creaks", twice`, Circled: true, StartTimecode: &code,
			Frames: 48000 * 83, SampleRate: 48000, Tracks: []take.Track{{Name: "Mix L"}, {Name: ""}, {Name: "Boom"}}}, "LF03_12A_T03.wav"),
		{File: "b.wav", Circled: &no, Note: "=1+1", Tracks: []string{"Bell"}},
	}
	var b bytes.Buffer
	require.NoError(t, Write(&b, lines))
	assert.Contains(t, b.String(), "'=1+1", "no formula in somebody's spreadsheet")
	got, err := Read(&b)
	require.NoError(t, err)
	require.Len(t, got, 2)
	assert.Equal(t, Line{Line: 2, File: "LF03_12A_T03.wav", Roll: "LF03", Scene: "12A", Take: "3", Circled: &yes, Note: `rope "creaks", twice`,
		Start: code, Length: "00:01:23.0", Tracks: []string{"Mix L", "", "Boom"}}, got[0])
	assert.Equal(t, "=1+1", got[1].Note)
	assert.False(t, *got[1].Circled)
}

func TestReportsAsTheyCome(t *testing.T) {
	text := "\ufeffSOUND REPORT\nProduction;The Lantern Ferry\n\nScene;Take;Circle;Notes;Trk 1;Trk2;CH 04\n12A;03;*;\"Bl\xe4tter; rope\";Boom;;Radio\n;;;;;;\n12B;1;;;;;\n"
	lines, err := Read(strings.NewReader(text[3:]))
	require.NoError(t, err)
	require.Len(t, lines, 2)
	assert.Equal(t, "Blätter; rope", lines[0].Note)
	assert.Equal(t, []string{"Boom", "", "", "Radio"}, lines[0].Tracks)
	assert.True(t, *lines[0].Circled)
	assert.Nil(t, lines[1].Tracks)
	assert.Equal(t, 5, lines[0].Line)
	for _, bad := range []string{"", "just words\nand more", "Take\n1\n"} {
		_, err := Read(strings.NewReader(bad))
		assert.Equal(t, fault.BadInput, fault.KindOf(err), bad)
	}
}

func TestWhichTakeALineIsAbout(t *testing.T) {
	d := take.Description{Roll: "LF03", Scene: "12A", Take: "3"}
	for _, c := range []struct {
		line Line
		want bool
	}{
		{Line{File: `D:\card\lf03_12a_t03.WAV`}, true}, {Line{Scene: "12a", Take: "03"}, true},
		{Line{Scene: "12A", Take: "3", Roll: "LF04"}, false},
		{Line{Scene: "12A"}, false}, {Line{Take: "3"}, false}, {Line{File: "other.wav", Scene: "12A", Take: "3", Roll: "lf03"}, true},
	} {
		assert.Equal(t, c.want, c.line.Finds(d, "LF03_12A_T03.wav"), "%+v", c.line)
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("Scene,Take,Track 1\n12A,3,Boom\n"))
	f.Add([]byte("a;b\n\"x\nScene;Take\n"))
	f.Fuzz(func(t *testing.T, b []byte) {
		lines, err := Read(bytes.NewReader(b))
		if err != nil && fault.KindOf(err) == "" {
			t.Fatalf("an error without a kind: %v", err)
		}
		var out bytes.Buffer
		if err := Write(&out, lines); err != nil {
			t.Fatal(err)
		}
		again, err := Read(&out)
		if err == nil && len(again) != len(lines) {
			t.Fatalf("%d lines became %d", len(lines), len(again))
		}
	})
}
