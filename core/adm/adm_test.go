package adm

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
)

// master is a document with a room, a pair, a sound field and a voice.
func master() Document {
	return Document{Programme: "The Lantern Ferry, Reel 1", Language: "eng", Seconds: 3723.5, Objects: []Object{
		{Name: "Full mix 5.1", Language: "eng", Dialogue: 2, Channels: []Channel{{Track: 1, Label: "L", Azimuth: 30},
			{Track: 2, Label: "R", Azimuth: -30}, {Track: 3, Label: "C"}, {Track: 4, Label: "LFE", Azimuth: 45, Elevation: -30, LFE: true},
			{Track: 5, Label: "Ls", Azimuth: 110}, {Track: 6, Label: "Rs", Azimuth: -110}}},
		{Name: "Music", Channels: []Channel{{Track: 8, Label: "L", Azimuth: 30}, {Track: 7, Label: "R", Azimuth: -30}}},
		{Name: "Deck & river", Channels: []Channel{{Track: 9, Label: "ACN0", Norm: "SN3D"},
			{Track: 10, Label: "ACN1", Order: 1, Degree: -1, Norm: "SN3D"}, {Track: 11, Label: "ACN2", Order: 1, Norm: "SN3D"},
			{Track: 12, Label: "ACN3", Order: 1, Degree: 1, Norm: "SN3D"}}},
		{Name: "Ines <Calder>", Dialogue: 1, Channels: []Channel{{Track: 13, Label: "M"}}},
	}}
}

func TestWhatIsWrittenIsReadBack(t *testing.T) {
	axml, chna, err := Write(master(), 48000, 24)
	require.NoError(t, err)
	got, err := Read(axml, chna)
	require.NoError(t, err)
	assert.Equal(t, master(), got)
	assert.Len(t, chna, 4+13*40)
	// The third line of the table, by hand: track 3, its UID, track format and pack.
	assert.Equal(t, "\x03\x00ATU_00000003AT_00011003_01AP_00011001\x00", string(chna[4+80:4+120]))
	for _, id := range []string{`audioProgrammeID="APR_1001"`, `audioPackFormatID="AP_00041003" audioPackFormatName="Deck &amp; river" typeLabel="0004" typeDefinition="HOA"`, `end="01:02:03.50000"`, "<normalization>SN3D</normalization>", `<frequency typeDefinition="lowPass">120</frequency>`} {
		assert.Contains(t, string(axml), id)
	}
}

func TestWhatLeadsNowhereIsRefused(t *testing.T) {
	axml, chna, err := Write(master(), 48000, 24)
	require.NoError(t, err)
	for name, c := range map[string]struct{ from, to string }{
		"content": {"<audioContentIDRef>ACO_1001", "<audioContentIDRef>ACO_2001"}, "object": {"<audioObjectIDRef>AO_1002",
			"<audioObjectIDRef>AO_2002"},
		"pack": {"<audioPackFormatIDRef>AP_00011001</audioPackFormatIDRef>\n      <audioTrackUIDRef>",
			"<audioPackFormatIDRef>AP_00017001</audioPackFormatIDRef>\n      <audioTrackUIDRef>"},
		"channel": {"<audioChannelFormatIDRef>AC_00011002</audioChannelFormatIDRef>",
			"<audioChannelFormatIDRef>AC_00019002</audioChannelFormatIDRef>"},
		"stream":  {"<audioStreamFormatIDRef>AS_00011003", "<audioStreamFormatIDRef>AS_00019003"},
		"not XML": {"<audioFormatExtended", "<audioFormat"},
	} {
		harmed := strings.Replace(string(axml), c.from, c.to, 1)
		if harmed == string(axml) && name == "pack" {
			harmed = strings.Replace(string(axml), `audioPackFormatID="AP_00011001"`, `audioPackFormatID="AP_00017001"`, 1)
		}
		require.NotEqual(t, string(axml), harmed, name)
		_, err := Read([]byte(harmed), chna)
		assert.Equal(t, fault.Damaged, fault.KindOf(err), "%s: %v", name, err)
	}
	for name, table := range map[string][]byte{"cut short": chna[:100], "none": nil,
		"another pack":  bytes.Replace(chna, []byte("AP_00011002"), []byte("AP_00011001"), 1),
		"another track": bytes.Replace(chna, []byte("ATU_00000002"), []byte("ATU_00000099"), 1)} {
		_, err := Read(axml, table)
		assert.Equal(t, fault.Damaged, fault.KindOf(err), name)
	}
	for name, d := range map[string]Document{"nothing": {}, "no channels": {Objects: []Object{{Name: "x"}}},
		"twice":    {Objects: []Object{{Channels: []Channel{{Track: 1}, {Track: 1}}}}},
		"two ways": {Objects: []Object{{Channels: []Channel{{Track: 1}, {Track: 2, Norm: "SN3D"}}}}}} {
		_, _, err := Write(d, 48000, 24)
		assert.Equal(t, fault.BadInput, fault.KindOf(err), name)
	}
}

func FuzzRead(f *testing.F) {
	axml, chna, err := Write(master(), 48000, 24)
	require.NoError(f, err)
	f.Add(axml, chna)
	f.Add([]byte("<audioFormatExtended/>"), []byte{0, 0, 0, 0})
	f.Fuzz(func(t *testing.T, axml, chna []byte) {
		d, err := Read(axml, chna)
		if err != nil && fault.KindOf(err) != fault.Damaged {
			t.Fatal(err)
		}
		if _, _, err := Write(d, 48000, 24); err != nil && fault.KindOf(err) != fault.BadInput {
			t.Fatal(err)
		}
	})
}

func ExampleWrite() {
	axml, chna, err := Write(Document{Programme: "Crossing", Objects: []Object{{Name: "Ines", Dialogue: 1,
		Channels: []Channel{{Track: 1, Label: "M"}}}}}, 48000, 24)
	fmt.Println(err, len(chna), strings.Contains(string(axml), `audioObjectName="Ines"`))
	// Output: <nil> 44 true
}
