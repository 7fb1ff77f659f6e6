package desk

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"zarf/core/asset"
	"zarf/core/bring"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
	"zarf/studio/cache"
	"zarf/studio/run"
)

// outsideFacts tells what is known of a sequence's frames, for its sheet.
type outsideFacts struct {
	Frames   string // which are there
	Missing  string // which lack between them
	Channels []cache.Channel
	Points   int
	Left     []string // channels that nothing reads as things are
	Says     []string // of points: what they are read as
	Fault    string
}

// maxGaps is how many stretches of missing frames a sheet names.
const maxGaps = 40

// OutsideFacts are what a sheet tells of a sequence's frames.
func (s *Server) OutsideFacts(doc *shot.Shot, e *shot.Element) *outsideFacts {
	ref := val.Frames.Of(e)
	if ref == "" {
		return &outsideFacts{Fault: "No frames yet: bring in a numbered sequence of VDB or PLY files, or an Alembic file."}
	}
	st := s.Studio.Cache.Stage(asset.ID(ref))
	frames := st.Frames()
	if len(frames) == 0 {
		return &outsideFacts{Fault: "Its frames are gone from the cache; bring them in again."}
	}
	var have []int
	var lack []string
	for f := range frames {
		have = append(have, f)
	}
	slices.Sort(have)
	// over what is there: two frames may be very far apart
	for i := 1; i < len(have); i++ {
		if a, b := have[i-1]+1, have[i]-1; a == b {
			lack = append(lack, strconv.Itoa(a))
		} else if a < b {
			lack = append(lack, fmt.Sprintf("%d–%d", a, b))
		}
	}
	if n := len(lack); n > maxGaps {
		lack = append(lack[:maxGaps], fmt.Sprintf("%d more stretches", n-maxGaps))
	}
	o := &outsideFacts{Frames: run.Ranges(have), Missing: strings.Join(lack, ", ")}
	mid := frames[have[len(have)/2]]
	o.Channels = mid.Channels
	if mid.Points > 0 {
		o.Points = int(mid.Totals["points"])
		o.particles(st, doc, e, mid.Frame)
		return o
	}
	f, err := st.Load(mid.Frame)
	if err == nil {
		_, o.Left, err = stage.Normalise(f, e, val.AirTemperature.Of(doc), doc.Rate())
	}
	if err != nil {
		o.Fault = Sentence(err.Error()) + "."
	}
	return o
}

// particles tells what the points of a frame are read as.
func (o *outsideFacts) particles(st *cache.Stage, doc *shot.Shot, e *shot.Element, number int) {
	p, err := st.LoadPoints(number)
	var got *stage.Outside
	if err == nil {
		got, err = stage.Particles(p, e, number, val.AirTemperature.Of(doc), doc.Rate())
	}
	if err != nil {
		o.Fault = Sentence(err.Error()) + "."
		return
	}
	if ids := got.Points.IDs(); got.Read["id"] != "" && len(ids) > 0 {
		o.Says = append(o.Says, fmt.Sprintf("Identities from %d to %d.", slices.Min(ids), slices.Max(ids)))
		o.Channels = slices.DeleteFunc(slices.Clone(o.Channels), func(c cache.Channel) bool {
			return c.Name == got.Read["id"] || c.Name == got.Read["id"]+"_high"
		})
	}
	for _, our := range []string{"id", "velocity", "size", "age", "life", "temperature"} {
		if from := got.Read[our]; from != "" && from != our {
			o.Says = append(o.Says, fmt.Sprintf("%s is read from %s.", Sentence(our), from))
		}
	}
	for _, n := range got.Notes {
		o.Says = append(o.Says, Sentence(n)+".")
	}
}

// sheet is the right column: the values of one thing as fields.
type sheet struct {
	Kind    shot.Kind
	ID      string
	Title   string
	Name    string        // editable name; empty: none
	Element *shot.Element // of the cast
	Owner   *shot.Element // of the values: the element, the look or the shot; nil where nothing can have keys
	Domains []*shot.Element
	Main    []field
	Topics  []topic
	Frame   float64
	Changed int
	File    *fileFacts    // of an element whose form is an imported mesh
	Outside *outsideFacts // of a sequence
}

// fileFacts is what a sheet tells of an imported file.
type fileFacts struct {
	*bring.Facts
	Name, Fault string
	Time        string   // its animation's length and what the shot makes of it
	Wrap        string   // a thickness to wrap it with, as shown
	Choices     []string // names that can take part
}

// facts reads what is known of an element's file.
func facts(doc *shot.Shot, e *shot.Element) *fileFacts {
	ref := val.Mesh.Of(e)
	if ref == "" {
		return &fileFacts{Fault: "No file yet: press Bring in, or drop one on the picture."}
	}
	m, err := doc.Files().Model(ref)
	if err != nil {
		return &fileFacts{Name: asset.Name(ref), Fault: err.Error()}
	}
	f := &fileFacts{Facts: m.Facts, Name: asset.Name(ref), Time: duration(doc, e, m.Facts)}
	length := val.Units.Of(doc)
	size := val.Size.Of(e)
	f.Wrap = shot.Metre.Format(shot.Tidy(max(size[0], size[1], size[2])/40), length) + " " + length
	switch val.Share.Of(e) {
	case "parts":
		f.Choices = m.Facts.Parts
	case "joints":
		f.Choices = m.Facts.Joints
	}
	return f
}

// duration tells the arithmetic of an animation's seconds and frames.
func duration(doc *shot.Shot, e *shot.Element, f *bring.Facts) string {
	if f.Length <= 0 {
		return ""
	}
	own, rate := shot.Rational(val.MotionRate.Of(e)), doc.Rate()
	num := func(v float64) string { return shot.Short(math.Round(v*1000) / 1000) }
	frames := math.Round(f.Length*own*100) / 100
	if val.MotionKeeps.Of(e) == "frames" {
		return fmt.Sprintf("%s frames at %s fps are %s s; keeping its frames it plays in %s s at the shot's %s fps, %s × as fast.", num(frames), num(own), num(f.Length), num(frames/rate), num(rate), num(rate/own))
	}
	return fmt.Sprintf("%s frames at %s fps are %s s; keeping its seconds it takes %s frames at the shot's %s fps.", num(frames), num(own), num(f.Length), num(f.Length*rate), num(rate))
}

type topic struct {
	Name    string
	Fields  []field
	Changed int
	Idle    bool // none of its fields counts as things are
}

// field is one value ready to be shown.
type field struct {
	*shot.Entry
	Element string
	Unit    string
	Text    string    // as shown
	Parts   [3]string // of vectors
	Hex     string    // of colours
	List    []string  // of names
	On      bool
	Changed bool
	Was     string
	Keyed   bool // has keys
	KeyHere bool // a key at this frame
	Step    float64
	Hidden  bool
	Scale   float64 // SI units in a shown one
	Follows string  // id of the sensor that it follows
	Sensors []named // that it may follow; none where it can't
	Refs    []named // elements that it may name
}

// named is an element to choose.
type named struct{ ID, Name string }

func FieldOf(e *shot.Entry, id string, v shot.Value, length string) field {
	f := field{Entry: e, Element: id, Unit: e.Unit.Shown(length), On: v.Flag, Text: v.Text, Scale: 1}
	switch f.Unit {
	case "cm":
		f.Scale = 0.01
	case "mm":
		if e.Unit == shot.Metre {
			f.Scale = 0.001
		}
	}
	switch e.Type {
	case shot.Number, shot.Integer:
		f.Text = e.Unit.Format(v.Num, f.Unit)
	case shot.Vector:
		for i, n := range v.Vec {
			f.Parts[i] = e.Unit.Format(n, f.Unit)
		}
	case shot.Colour:
		f.Hex = shot.SRGB(v.Vec)
	case shot.Names:
		f.List = v.List()
	case shot.File, shot.Frozen, shot.Picture:
		if v.Text != "" {
			f.Text = asset.Name(v.Text)
		}
	}
	f.since(v, e.Default, length)
	f.Step = e.Step / f.Scale
	return f
}

// Tip is what a field's label tells when it is pointed at.
func (f field) Tip() string {
	if f.Fixed == "" {
		return f.Help
	}
	return f.Help + " It has no keys. " + f.Fixed
}

// since marks a value that differs from the one that it began with.
func (f *field) since(v, start shot.Value, length string) {
	f.Changed, f.Was = !f.Same(v, start), ""
	if f.Changed {
		f.Was = f.Show(start, length)
	}
}

// refs are the elements that a value may name: others of the kinds that it takes.
func refs(doc *shot.Shot, owner *shot.Element, e *shot.Entry) (out []named) {
	kinds := e.Refs
	if len(kinds) == 0 {
		kinds = []shot.Kind{shot.Domain, shot.Sequence}
	}
	for _, o := range doc.Elements {
		if o != owner && slices.Contains(kinds, o.Kind) {
			out = append(out, named{o.ID, o.Name})
		}
	}
	return out
}

// fill makes the fields of all values that have a meaning where the shot's
// fluids are what they are.
func (s *sheet) fill(doc *shot.Shot) {
	length := val.Units.Of(doc)
	at := map[string]int{}
	in := doc.Within(s.Owner)
	now := moment{s.Owner, doc.Eval(s.Frame)}
	var sensors []named
	for _, e := range doc.Of(shot.Sensor) {
		sensors = append(sensors, named{e.ID, e.Name})
	}
	for _, e := range shot.Entries(s.Kind) {
		if !e.Belongs(now, in) {
			continue
		}
		v := now.Get(e.Key)
		f := FieldOf(e, s.ID, v, length)
		f.Hidden = !e.Shown(now, in)
		f.since(v, s.Owner.Start(e), length)
		keys := s.Owner.Keys(e)
		f.Keyed = len(keys) > 0
		for _, k := range keys {
			f.KeyHere = f.KeyHere || k.Frame == s.Frame
		}
		f.Changed = f.Changed || f.Keyed
		if e.Type == shot.Ref {
			f.Refs = refs(doc, s.Owner, e)
		}
		if len(sensors) > 0 && s.Owner.Drivable(e) == "" {
			f.Sensors = sensors
			if by := doc.Follows(s.Owner.ID, e.Key); by != nil {
				f.Follows = by.ID
			}
		}
		if f.Changed && !f.Hidden {
			s.Changed++
		}
		if e.Main {
			s.Main = append(s.Main, f)
			continue
		}
		n, ok := at[e.Topic]
		if !ok {
			n = len(s.Topics)
			at[e.Topic] = n
			s.Topics = append(s.Topics, topic{Name: e.Topic, Idle: true})
		}
		s.Topics[n].Idle = s.Topics[n].Idle && f.Hidden
		s.Topics[n].Fields = append(s.Topics[n].Fields, f)
		if f.Changed {
			s.Topics[n].Changed++
		}
	}
}

// moment reads an element's values as they are at a frame.
type moment struct {
	*shot.Element
	ev val.Eval
}

func (m moment) Get(key string) shot.Value { return m.Element.At(key, m.ev) }

func elementSheet(doc *shot.Shot, e *shot.Element, frame float64) *sheet {
	s := &sheet{Kind: e.Kind, ID: e.ID, Title: string(e.Kind), Name: e.Name, Element: e, Owner: e, Frame: frame}
	if e.Kind.Def().Scoped {
		s.Domains = doc.Of(shot.Domain)
	}
	s.fill(doc)
	if e.FromFile() {
		s.File = facts(doc, e)
	}
	return s
}

func shotSheet(doc *shot.Shot, frame float64) *sheet {
	return ownerSheet(doc, &sheet{Kind: shot.Setting, Title: "shot", Owner: doc.Self, Frame: frame})
}

func ownerSheet(doc *shot.Shot, s *sheet) *sheet {
	s.fill(doc)
	return s
}

// LookSheet is that of a look.
func LookSheet(doc *shot.Shot, l *shot.Element, frame float64) *sheet {
	return ownerSheet(doc, &sheet{Kind: shot.Look, ID: l.ID, Title: "look", Name: l.Name, Owner: l, Frame: frame})
}

// HandoverSheet is that of the shot's handover.
func HandoverSheet(doc *shot.Shot) *sheet {
	return ownerSheet(doc, &sheet{Kind: shot.Handover, Title: "handover", Owner: doc.Handover})
}

// driven is drives for templates.
func driven(l *shot.Element, key string, number int) map[string]any {
	channel, low, high := drives(l, key, number)
	return map[string]any{"Channel": channel, "Low": low, "High": high}
}

// drives is the channel over whose values a ramp or curve of a look runs, and
// the range.
func drives(l *shot.Element, key string, number int) (channel string, low, high float64) {
	now := val.Frame(float64(number))
	n := func(k val.NumKey) float64 { return k.At(l, now) }
	switch {
	case key == val.SmokeCurve.Name():
		channel, low, high = val.SmokeFrom.Of(l), n(val.SmokeLow), n(val.SmokeHigh)
		if channel == "curve" {
			channel = "density"
		}
	case key == val.ColourRamp.Name():
		channel, low, high = val.ColourFrom.Of(l), n(val.ColourLow), n(val.ColourHigh)
	case strings.HasPrefix(key, "flame_"):
		channel, low, high = val.FlameBy.Of(l), n(val.FlameLow), n(val.FlameHigh)
	default:
		return "", 0, 1
	}
	if channel == "none" {
		channel = ""
	}
	return channel, low, high
}
