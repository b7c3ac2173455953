package wave

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"
)

// IXML holds the parts of an iXML chunk that are used here. Element names are those of the open iXML specification.
type IXML struct {
	XMLName   xml.Name    `xml:"BWFXML"`
	Version   string      `xml:"IXML_VERSION,omitempty"`
	Project   string      `xml:"PROJECT,omitempty"`
	Scene     string      `xml:"SCENE,omitempty"`
	Take      string      `xml:"TAKE,omitempty"`
	Tape      string      `xml:"TAPE,omitempty"`
	Circled   string      `xml:"CIRCLED,omitempty"`
	WildTrack string      `xml:"WILD_TRACK,omitempty"`
	FileUID   string      `xml:"FILE_UID,omitempty"`
	Note      string      `xml:"NOTE,omitempty"`
	UBits     string      `xml:"UBITS,omitempty"`
	Speed     *IXMLSpeed  `xml:"SPEED"`
	FileSet   *IXMLSet    `xml:"FILE_SET"`
	Tracks    *IXMLTracks `xml:"TRACK_LIST"`
}

// IXMLSpeed is the SPEED element: rates and the time stamp.
type IXMLSpeed struct {
	Note           string `xml:"NOTE,omitempty"`
	MasterSpeed    string `xml:"MASTER_SPEED,omitempty"`
	CurrentSpeed   string `xml:"CURRENT_SPEED,omitempty"`
	TimecodeRate   string `xml:"TIMECODE_RATE,omitempty"`
	TimecodeFlag   string `xml:"TIMECODE_FLAG,omitempty"`
	FileSampleRate string `xml:"FILE_SAMPLE_RATE,omitempty"`
	BitDepth       string `xml:"AUDIO_BIT_DEPTH,omitempty"`
	DigitizerRate  string `xml:"DIGITIZER_SAMPLE_RATE,omitempty"`
	StampHigh      string `xml:"TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI,omitempty"`
	StampLow       string `xml:"TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO,omitempty"`
	StampRate      string `xml:"TIMESTAMP_SAMPLE_RATE,omitempty"`
}

// IXMLSet is the FILE_SET element: which files were recorded together.
type IXMLSet struct {
	Total    string `xml:"TOTAL_FILES,omitempty"`
	FamilyID string `xml:"FAMILY_UID,omitempty"`
	Family   string `xml:"FAMILY_NAME,omitempty"`
	Index    string `xml:"FILE_SET_INDEX,omitempty"`
}

// IXMLTracks is the TRACK_LIST element.
type IXMLTracks struct {
	Count  string      `xml:"TRACK_COUNT"`
	Tracks []IXMLTrack `xml:"TRACK"`
}

// IXMLTrack names one channel: ChannelIndex is the recorder's input, InterleaveIndex the channel of the file, both
// from 1.
type IXMLTrack struct {
	ChannelIndex    string `xml:"CHANNEL_INDEX"`
	InterleaveIndex string `xml:"INTERLEAVE_INDEX"`
	Name            string `xml:"NAME"`
	Function        string `xml:"FUNCTION,omitempty"`
}

// ParseIXML reads the body of an iXML chunk, with the liberties that recorders take.
func ParseIXML(b []byte) (*IXML, error) {
	b = bytes.Trim(b, "\x00 \r\n\t")
	b = bytes.TrimPrefix(b, []byte("\xef\xbb\xbf"))
	d := xml.NewDecoder(strings.NewReader(FromBytes(b)))
	d.Strict = false                                                                   // recorders write bare ampersands
	d.CharsetReader = func(_ string, r io.Reader) (io.Reader, error) { return r, nil } // FromBytes has made it UTF-8
	x := &IXML{}
	if err := d.Decode(x); err != nil {
		return nil, fmt.Errorf("the XML breaks off at byte %d", d.InputOffset())
	}
	return x, nil
}

func (x *IXML) bytes() ([]byte, error) {
	body, err := xml.MarshalIndent(x, "", "  ")
	return append([]byte(xml.Header), body...), err
}

// FromBytes gives valid UTF-8 as it is and reads everything else as Latin-1.
func FromBytes(b []byte) string {
	if utf8.Valid(b) {
		return string(b)
	}
	runes := make([]rune, len(b))
	for i, c := range b {
		runes[i] = rune(c)
	}
	return string(runes)
}
