package adm

import (
	"encoding/binary"
	"encoding/xml"
	"fmt"
	"math"

	"zestyloom/core/fault"
)

// Document says what is in a file.
type Document struct {
	Programme string // name of the first programme
	Language  string // of that, as ISO 639-2 writes it; empty for none
	Seconds   float64
	Objects   []Object
	// Programmes are what sounds together, each by itself: a renderer plays one of them, the first unless somebody chooses. None
	// where all objects sound together.
	Programmes []Programme
}

// Programme is objects that sound together.
type Programme struct {
	Name     string
	Language string
	Objects  []int // places in Document.Objects
}

// Object is a set of channels that belong together: a bed of speakers or a sound field.
type Object struct {
	Name     string
	Language string
	Dialogue int // 0 no dialogue, 1 dialogue, 2 both (BS.2076, dialogue)
	Channels []Channel
	From     float64 // seconds into the programme where it begins
	Lasts    float64 // seconds; 0 to the end of the programme
}

// Field tells whether it is a sound field.
func (o Object) Field() bool { return len(o.Channels) > 0 && o.Channels[0].Norm != "" }

// Channel is one channel of the file. A speaker has a direction, in degrees with left and up above 0; a component of a sound
// field an order, a degree and a norm.
type Channel struct {
	Track     int // in the file, from 1
	Label     string
	Azimuth   float64
	Elevation float64
	LFE       bool
	Order     int
	Degree    int
	Norm      string // SN3D, N3D or FuMa; empty for a speaker
}

// Types of definitions (BS.2076, typeDefinition).
const (
	speakers = "0001"
	fields   = "0004"
)

var typeNames = map[string]string{speakers: "DirectSpeakers", fields: "HOA"}

// lowest is the first number of definitions of one's own; those below are common definitions.
const lowest = 0x1001

// The XML, element by element, as BS.2076 names them.
type (
	root struct {
		XMLName xml.Name `xml:"ebuCoreMain"`
		Space   string   `xml:"xmlns,attr"`
		Version string   `xml:"version,attr,omitempty"`
		Format  extended `xml:"coreMetadata>format>audioFormatExtended"`
	}
	extended struct {
		Version    string      `xml:"version,attr,omitempty"`
		Programmes []programme `xml:"audioProgramme"`
		Contents   []content   `xml:"audioContent"`
		Objects    []object    `xml:"audioObject"`
		Packs      []pack      `xml:"audioPackFormat"`
		Channels   []channel   `xml:"audioChannelFormat"`
		Streams    []stream    `xml:"audioStreamFormat"`
		Tracks     []track     `xml:"audioTrackFormat"`
		UIDs       []uid       `xml:"audioTrackUID"`
	}
	programme struct {
		ID       string   `xml:"audioProgrammeID,attr"`
		Name     string   `xml:"audioProgrammeName,attr"`
		Language string   `xml:"audioProgrammeLanguage,attr,omitempty"`
		Start    string   `xml:"start,attr,omitempty"`
		End      string   `xml:"end,attr,omitempty"`
		Contents []string `xml:"audioContentIDRef"`
	}
	content struct {
		ID       string   `xml:"audioContentID,attr"`
		Name     string   `xml:"audioContentName,attr"`
		Language string   `xml:"audioContentLanguage,attr,omitempty"`
		Objects  []string `xml:"audioObjectIDRef"`
		Dialogue *int     `xml:"dialogue"`
	}
	object struct {
		ID       string   `xml:"audioObjectID,attr"`
		Name     string   `xml:"audioObjectName,attr"`
		Start    string   `xml:"start,attr,omitempty"`
		Duration string   `xml:"duration,attr,omitempty"`
		Packs    []string `xml:"audioPackFormatIDRef"`
		UIDs     []string `xml:"audioTrackUIDRef"`
	}
	pack struct {
		ID       string   `xml:"audioPackFormatID,attr"`
		Name     string   `xml:"audioPackFormatName,attr"`
		Label    string   `xml:"typeLabel,attr"`
		Type     string   `xml:"typeDefinition,attr"`
		Channels []string `xml:"audioChannelFormatIDRef"`
	}
	channel struct {
		ID        string     `xml:"audioChannelFormatID,attr"`
		Name      string     `xml:"audioChannelFormatName,attr"`
		Label     string     `xml:"typeLabel,attr"`
		Type      string     `xml:"typeDefinition,attr"`
		Frequency *frequency `xml:"frequency"`
		Blocks    []block    `xml:"audioBlockFormat"`
	}
	frequency struct {
		Type string  `xml:"typeDefinition,attr"`
		Hz   float64 `xml:",chardata"`
	}
	block struct {
		ID        string     `xml:"audioBlockFormatID,attr"`
		Speaker   string     `xml:"speakerLabel,omitempty"`
		Positions []position `xml:"position"`
		Order     *int       `xml:"order"`
		Degree    *int       `xml:"degree"`
		Norm      string     `xml:"normalization,omitempty"`
	}
	position struct {
		Coordinate string  `xml:"coordinate,attr"`
		Value      float64 `xml:",chardata"`
	}
	stream struct {
		ID      string   `xml:"audioStreamFormatID,attr"`
		Name    string   `xml:"audioStreamFormatName,attr"`
		Label   string   `xml:"formatLabel,attr"`
		Type    string   `xml:"formatDefinition,attr"`
		Channel string   `xml:"audioChannelFormatIDRef"`
		Tracks  []string `xml:"audioTrackFormatIDRef"`
	}
	track struct {
		ID     string `xml:"audioTrackFormatID,attr"`
		Name   string `xml:"audioTrackFormatName,attr"`
		Label  string `xml:"formatLabel,attr"`
		Type   string `xml:"formatDefinition,attr"`
		Stream string `xml:"audioStreamFormatIDRef"`
	}
	uid struct {
		ID    string `xml:"UID,attr"`
		Rate  int    `xml:"sampleRate,attr,omitempty"`
		Bits  int    `xml:"bitDepth,attr,omitempty"`
		Track string `xml:"audioTrackFormatIDRef"`
		Pack  string `xml:"audioPackFormatIDRef"`
	}
)

const space = "urn:ebu:metadata-schema:ebuCore_2014"

// Write gives the axml and chna chunks of a document, for samples at a rate in Hz and of that many bits. A document without
// channels, or with a channel twice, is BadInput.
func Write(d Document, rate, bits int) (axml, chna []byte, err error) {
	if err := d.check(); err != nil {
		return nil, nil, err
	}
	x := extended{Version: "ITU-R_BS.2076-2"}
	number, table := lowest, []byte{}
	count := 0
	for i, o := range d.Objects {
		n := lowest + i
		kind := speakers
		if o.Field() {
			kind = fields
		}
		c := content{ID: fmt.Sprintf("ACO_%04x", n), Name: o.Name, Language: o.Language, Objects: []string{fmt.Sprintf("AO_%04x", n)},
			Dialogue: &o.Dialogue}
		ob := object{ID: c.Objects[0], Name: o.Name, Start: clock(o.From), Packs: []string{fmt.Sprintf("AP_%s%04x", kind, n)}}
		if o.Lasts > 0 {
			ob.Duration = clock(o.Lasts)
		}
		pk := pack{ID: ob.Packs[0], Name: o.Name, Label: kind, Type: typeNames[kind]}
		for _, ch := range o.Channels {
			id := fmt.Sprintf("%s%04x", kind, number)
			name := o.Name + " " + ch.Label
			pk.Channels = append(pk.Channels, "AC_"+id)
			x.Channels = append(x.Channels, channelOf(ch, id, kind, name))
			x.Streams = append(x.Streams, stream{"AS_" + id, name, speakers, "PCM", "AC_" + id, []string{"AT_" + id + "_01"}})
			x.Tracks = append(x.Tracks, track{"AT_" + id + "_01", name, speakers, "PCM", "AS_" + id})
			count++
			u := uid{fmt.Sprintf("ATU_%08x", count), rate, bits, "AT_" + id + "_01", pk.ID}
			x.UIDs, ob.UIDs = append(x.UIDs, u), append(ob.UIDs, u.ID)
			table = append(table, line(ch.Track, u)...)
			number++
		}
		x.Contents, x.Objects, x.Packs = append(x.Contents, c), append(x.Objects, ob), append(x.Packs, pk)
	}
	for i, p := range d.programmes() {
		made := programme{ID: fmt.Sprintf("APR_%04x", lowest+i), Name: p.Name, Language: p.Language, Start: clock(0), End: clock(d.Seconds)}
		for _, at := range p.Objects {
			made.Contents = append(made.Contents, x.Contents[at].ID)
		}
		x.Programmes = append(x.Programmes, made)
	}
	text, err := xml.MarshalIndent(root{Space: space, Format: x}, "", " ")
	if err != nil {
		return nil, nil, fault.Wrap(fault.BadInput, err, "The description can't be written")
	}
	head := binary.LittleEndian.AppendUint16(binary.LittleEndian.AppendUint16(nil, uint16(count)), uint16(count))
	return append([]byte(xml.Header), text...), append(head, table...), nil
}

// programmes are those of the document, or one of all.
func (d Document) programmes() []Programme {
	if d.Programmes != nil {
		return d.Programmes
	}
	all := Programme{Name: d.Programme, Language: d.Language}
	for i := range d.Objects {
		all.Objects = append(all.Objects, i)
	}
	return []Programme{all}
}

func (d Document) check() error {
	for _, p := range d.Programmes {
		for _, at := range p.Objects {
			if at < 0 || at >= len(d.Objects) {
				return fault.New(fault.BadInput, "The programme %s names an object that there is not", p.Name)
			}
		}
	}
	seen := map[int]bool{}
	for _, o := range d.Objects {
		if len(o.Channels) == 0 {
			return fault.New(fault.BadInput, "%s has no channels to describe", o.Name)
		}
		for _, c := range o.Channels {
			if c.Track < 1 || c.Track > math.MaxUint16 || seen[c.Track] || (c.Norm != "") != o.Field() {
				return fault.New(fault.BadInput, "Channel %d of the file is described twice, or in two ways", c.Track)
			}
			seen[c.Track] = true
		}
	}
	if len(seen) == 0 || len(seen) > 0x1000 {
		return fault.New(fault.BadInput, "A description is of 1 to %d channels", 0x1000)
	}
	return nil
}

func channelOf(c Channel, id, kind, name string) channel {
	out := channel{ID: "AC_" + id, Name: name, Label: kind, Type: typeNames[kind]}
	b := block{ID: "AB_" + id + "_00000001"}
	if kind == fields {
		b.Order, b.Degree, b.Norm = &c.Order, &c.Degree, c.Norm
	} else {
		b.Speaker = c.Label
		b.Positions = []position{{"azimuth", c.Azimuth}, {"elevation", c.Elevation}, {"distance", 1}}
	}
	if c.LFE {
		out.Frequency = &frequency{"lowPass", 120}
	}
	out.Blocks = []block{b}
	return out
}

// line is one of the chna chunk: track, UID, track format, pack format, and a byte to fill.
func line(index int, u uid) []byte {
	b := binary.LittleEndian.AppendUint16(nil, uint16(index))
	for _, f := range []struct {
		text string
		room int
	}{{u.ID, 12}, {u.Track, 14}, {u.Pack, 11}} {
		b = append(b, make([]byte, f.room)...)
		copy(b[len(b)-f.room:], f.text)
	}
	return append(b, 0)
}

// clock writes a time as BS.2076 does: hh:mm:ss.fffff.
func clock(seconds float64) string {
	ticks := int64(math.Round(seconds * 1e5))
	return fmt.Sprintf("%02d:%02d:%02d.%05d", ticks/360000000, ticks/6000000%60, ticks/100000%60, ticks%100000)
}
