package wave

import (
	"bytes"
	"encoding/binary"
	"encoding/xml"
	"fmt"
	"io"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"zestyloom/core/timecode"
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
	NoGood    string      `xml:"NO_GOOD,omitempty"`
	False     string      `xml:"FALSE_START,omitempty"`
	TakeType  string      `xml:"TAKE_TYPE,omitempty"` // such as DEFAULT, or WILD_TRACK,NO_GOOD
	FileUID   string      `xml:"FILE_UID,omitempty"`
	Note      string      `xml:"NOTE,omitempty"`
	UBits     string      `xml:"UBITS,omitempty"`
	Speed     *IXMLSpeed  `xml:"SPEED"`
	FileSet   *IXMLSet    `xml:"FILE_SET"`
	Tracks    *IXMLTracks `xml:"TRACK_LIST"`
	Rest      []Element   `xml:",any"`
}

// Element is an element that is not known here, kept as it stands.
type Element struct {
	XMLName xml.Name
	Attrs   []xml.Attr `xml:",any,attr"`
	Inner   string     `xml:",innerxml"`
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

	Rest []Element `xml:",any"`
}

// SpeedOf gives the SPEED element of sound at a rate in Hz and so many bits that goes with a clock, and whose first sample stands at so many
// samples since midnight.
func SpeedOf(clock timecode.Rate, sampleRate, depth int, stamp int64) *IXMLSpeed {
	flag := "NDF"
	if clock.Drop {
		flag = "DF"
	}
	hz, u := strconv.Itoa(sampleRate), uint64(max(0, stamp))
	return &IXMLSpeed{TimecodeRate: fmt.Sprintf("%d/%d", clock.Num, clock.Den), TimecodeFlag: flag, FileSampleRate: hz, BitDepth: strconv.Itoa(depth),
		StampHigh: strconv.FormatUint(u>>32, 10), StampLow: strconv.FormatUint(u&math.MaxUint32, 10), StampRate: hz}
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

// knownNames matches the tags of the elements that are known here, in whatever case a recorder writes them.
var knownNames = regexp.MustCompile(`(?i)</?(?:BWFXML|IXML_VERSION|PROJECT|SCENE|TAKE|TAPE|CIRCLED|WILD_TRACK|NO_GOOD|FALSE_START|TAKE_TYPE|FILE_UID|NOTE|UBITS|SPEED|MASTER_SPEED|` +
	`CURRENT_SPEED|TIMECODE_RATE|TIMECODE_FLAG|FILE_SAMPLE_RATE|AUDIO_BIT_DEPTH|DIGITIZER_SAMPLE_RATE|TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI|` +
	`TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO|TIMESTAMP_SAMPLE_RATE|FILE_SET|TOTAL_FILES|FAMILY_UID|FAMILY_NAME|FILE_SET_INDEX|TRACK_LIST|TRACK_COUNT|` +
	`TRACK|CHANNEL_INDEX|INTERLEAVE_INDEX|NAME|FUNCTION|BEXT|LOUDNESS)[\s/>]`)

// ParseIXML reads the body of an iXML chunk, with the liberties that recorders take: any case of the names, UTF-16, bare
// ampersands.
func ParseIXML(b []byte) (*IXML, error) {
	text := knownNames.ReplaceAllStringFunc(xmlText(b), strings.ToUpper)
	d := xml.NewDecoder(strings.NewReader(text))
	d.Strict = false
	d.CharsetReader = func(_ string, r io.Reader) (io.Reader, error) { return r, nil } // xmlText has made it UTF-8
	x := &IXML{}
	if err := d.Decode(x); err != nil {
		return nil, fmt.Errorf("the XML breaks off at byte %d", d.InputOffset())
	}
	// These say again what bext says, and would say it still when that has changed.
	x.Rest = slices.DeleteFunc(x.Rest, func(e Element) bool { return e.XMLName.Local == "BEXT" || e.XMLName.Local == "LOUDNESS" })
	return x, nil
}

// xmlText gives the text of a chunk in UTF-8, without the padding around it.
func xmlText(b []byte) string {
	order := binary.ByteOrder(binary.LittleEndian)
	switch {
	case bytes.HasPrefix(b, []byte{0xfe, 0xff}), bytes.HasPrefix(b, []byte{0, '<'}):
		order = binary.BigEndian
	case bytes.HasPrefix(b, []byte{0xff, 0xfe}), bytes.HasPrefix(b, []byte{'<', 0}):
	default:
		return FromBytes(bytes.TrimPrefix(bytes.Trim(b, "\x00 \r\n\t"), []byte("\xef\xbb\xbf")))
	}
	units := make([]uint16, len(b)/2)
	for i := range units {
		units[i] = order.Uint16(b[2*i:])
	}
	return strings.Trim(string(utf16.Decode(units)), "\ufeff\x00 \r\n\t")
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
