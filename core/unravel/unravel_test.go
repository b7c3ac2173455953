package unravel

import (
	"bytes"
	"context"
	"io"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/take"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

func TestUnravelOfASet(t *testing.T) {
	const frames = wave.AtOnce + 99
	src := wavetest.Open(t, wave.Header{Format: wavetest.PCM24(4), Frames: frames},
		func(c, i int) float64 { return float64((i%1000)*(c+1)) / (1 << 20) })
	d := take.Describe(src, "x.wav")
	sum := take.Set{Kind: take.Sum, Channels: []int{3, 4}, Labels: []string{"M"}}
	parts, err := take.Parts(d, []take.Set{take.Pair(2, 1), sum})
	require.NoError(t, err)
	outs := make([]bytes.Buffer, 2)
	require.NoError(t, Write(context.Background(), src, d, parts, []io.Writer{&outs[0], &outs[1]}, nil))
	source := wavetest.Samples(t, src)
	pair := wavetest.Read(t, outs[0].Bytes())
	assert.EqualValues(t, 3, Header(parts[0], src, d).Mask, "L and R")
	assert.Equal(t, [][]float64{source[1], source[0]}, wavetest.Samples(t, pair), "sides changed over, bit for bit")
	one := wavetest.Read(t, outs[1].Bytes())
	require.Equal(t, 1, one.Channels)
	assert.Equal(t, "Channel 3-4", take.Describe(one, "y.wav").Tracks[0].Name)
	for i, x := range wavetest.Samples(t, one)[0] {
		if !assert.InDelta(t, (source[2][i]+source[3][i])/2, x, 1.6/(1<<23), "half of each, within the dither") {
			break
		}
	}
}

func TestFileSafe(t *testing.T) {
	for in, want := range map[string]string{"Ines, lav": "Ines_lav", "../../etc/passwd": "etc_passwd", "a/b\\c:d": "a_b_c_d", "": "unnamed",
		"...": "unnamed", "Ação": "Ação", "M&E": "M+E"} {
		assert.Equal(t, want, FileSafe(in))
	}
	assert.LessOrEqual(t, len(FileSafe(string(bytes.Repeat([]byte("x"), 999)))), 80)
}

func TestUnravelIsBitForBit(t *testing.T) {
	const frames = wave.AtOnce + 777
	src := wavetest.Stepped(t, 5, frames, func(h *wave.Header) {
		h.IXML = wavetest.IXML(nil)
		lufs := -23.0
		h.Bext = &wave.Bext{Description: "sTRK1=old\r\nsUBITS=42", TimeReference: 12345, IntegratedLUFS: &lufs}
	})
	d := take.Describe(src, "12A.wav")
	parts, err := take.Parts(d, []take.Set{take.Pair(4, 2)})
	require.NoError(t, err)
	outs := make([]bytes.Buffer, len(parts))
	to := make([]io.Writer, len(parts))
	for i := range outs {
		to[i] = &outs[i]
	}
	var last float64
	require.NoError(t, Write(context.Background(), src, d, parts, to, func(done float64) { last = done }))
	assert.Equal(t, 1.0, last)
	whole := make([]byte, frames*src.FrameBytes())
	_, err = src.ReadRaw(whole, 0)
	require.NoError(t, err)
	for i, p := range parts {
		f := wavetest.Read(t, outs[i].Bytes())
		require.EqualValues(t, frames, f.Frames)
		got := make([]byte, frames*f.FrameBytes())
		_, err = f.ReadRaw(got, 0)
		require.NoError(t, err)
		for j, c := range p.Channels {
			want, have := make([]byte, frames*3), make([]byte, frames*3)
			src.Extract(want, whole, frames, c, 0, 1)
			f.Extract(have, got, frames, j, 0, 1)
			require.True(t, bytes.Equal(want, have), "part %d channel %d", i, c)
		}
		assert.EqualValues(t, 12345, f.Bext.TimeReference)
		assert.Nil(t, f.Bext.IntegratedLUFS, "a loudness measured over all channels is not this one's")
		again := take.Describe(f, "y.wav")
		assert.Equal(t, "LF03", again.Roll)
		assert.Equal(t, take.ChannelName(d.Tracks[p.Channels[0]]), again.Tracks[0].Name)
		assert.Contains(t, f.Bext.Description, "sUBITS=42")
		assert.NotContains(t, f.Bext.Description, "old")
	}
}

func TestUnravelStops(t *testing.T) {
	src := wavetest.Stepped(t, 1, 10, nil)
	d := take.Describe(src, "x.wav")
	parts, _ := take.Parts(d, nil)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	assert.ErrorIs(t, Write(ctx, src, d, parts, []io.Writer{io.Discard}, nil), context.Canceled)
}

func TestASumOfSilenceIsSilence(t *testing.T) {
	src := wavetest.Open(t, wave.Header{Format: wavetest.PCM24(2), Frames: 1000}, func(int, int) float64 { return 0 })
	d := take.Describe(src, "x.wav")
	part := take.Part{Name: "Both", Channels: []int{0, 1}, Labels: []string{"M"}, Sum: true}
	var out bytes.Buffer
	require.NoError(t, Write(context.Background(), src, d, []take.Part{part}, []io.Writer{&out}, nil))
	for _, x := range wavetest.Samples(t, wavetest.Read(t, out.Bytes()))[0] {
		require.Zero(t, x)
	}
}

func TestFileNames(t *testing.T) {
	parts := []take.Part{{Name: "Mix", Channels: []int{0, 1}}, {Name: "Boom", Channels: []int{2}}, {Name: "Channel 4", Channels: []int{3}}}
	assert.Equal(t, []string{"12A_1-2_Mix.wav", "12A_3_Boom.wav", "12A_4_Channel_4.wav"}, FileNames("card/12A.wav", parts))
}
