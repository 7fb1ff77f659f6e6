package draft

import (
	"bufio"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"sync"
	"time"

	"zarf/core/asset"
	"zarf/core/grid"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
	"zarf/studio/cache"
	"zarf/studio/run"
)

// Command is what a draft is told.
type Command struct {
	Do     string          `json:"do"`               // begin, change, next, go, pause, step, restart, pace, voxel, end
	Shot   json.RawMessage `json:"shot,omitempty"`   // begin, change
	Value  float64         `json:"value,omitempty"`  // pace: frames of the shot in the time of one, 0 as fast as it goes; voxel: m, 0 by itself
	Rate   float64         `json:"rate,omitempty"`   // begin: voxels a second that this machine steps
	Domain string          `json:"domain,omitempty"` // begin: which domain; empty: the first
	Size   int             `json:"size,omitempty"`   // begin: voxels of a picture along its longest side
}

// Head goes before a volume, or alone.
type Head struct {
	Kind    string          `json:"kind"` // frame, begin, fault, end, told
	Frame   int             `json:"frame"`
	Seconds float64         `json:"seconds,omitempty"` // that the frame took
	Steps   int             `json:"steps,omitempty"`   // of the solver within it
	Rate    float64         `json:"rate,omitempty"`    // frames a second that it could make
	Speed   float64         `json:"speed,omitempty"`   // voxels a second that were stepped
	Voxel   float64         `json:"voxel,omitempty"`
	Voxels  float64         `json:"voxels,omitempty"`
	Said    string          `json:"said,omitempty"`
	Change  int             `json:"change"` // how many changes of the shot act in it
	Fastest float64         `json:"fastest,omitempty"`
	Sensors []stage.Reading `json:"sensors,omitempty"`
	Volume  *render.Screen  `json:"volume,omitempty"`
}

// Child is the draft's process.
type Child struct {
	Files   *asset.Library
	Cache   *cache.Cache // of domains that feed others; may be nil
	Threads int

	out  *bufio.Writer
	mu   sync.Mutex
	wake chan struct{}

	// under mu
	doc     *shot.Shot
	changes int // of doc
	credits int
	steps   int // frames to make although it is paused
	paused  bool
	again   bool // restart
	retry   bool // go on although it stood still
	voxel   float64
	pace    float64
	domain  string
	sized   bool // the voxel size was chosen anew
	ended   bool

	// the loop's own
	draft        *stage.Draft
	acting       int // change that the draft knows
	speed        float64
	size         int
	free         bool    // the voxel size is its own choice
	tuned        int     // how often the voxel size was mended since somebody began or chose it
	voxels, took float64 // of the size before: how many there were, and s a frame
	made         int     // frames since it began
	slow         float64 // seconds a frame, a running mean
	stuck        bool    // blew up, or at the end: waits for a change or a restart
}

// aim is how many frames a second a draft wants to make; with fewer than least its
// voxels become larger, with more than most smaller.
const (
	aim   = 18
	least = 12
	most  = 30
)

// Serve runs until its input ends.
func (c *Child) Serve(in io.Reader, out io.Writer) error {
	c.out, c.wake, c.pace = bufio.NewWriterSize(out, 1<<20), make(chan struct{}, 1), 1
	r := bufio.NewReaderSize(in, 1<<20)
	var first Command
	if err := read(r, &first); err != nil {
		return err
	}
	if err := c.obey(first); err != nil {
		return err
	}
	c.size, c.speed = min(max(first.Size, 16), 160), first.Rate
	go func() {
		for {
			var cmd Command
			err := read(r, &cmd)
			if err == nil {
				err = c.obey(cmd)
			}
			if err != nil || cmd.Do == "end" {
				c.mu.Lock()
				c.ended = true
				c.mu.Unlock()
				c.nudge()
				return
			}
		}
	}()
	return c.loop()
}

func read(r *bufio.Reader, cmd *Command) error {
	line, err := r.ReadBytes('\n')
	if err != nil {
		return err
	}
	return json.Unmarshal(line, cmd)
}

func (c *Child) nudge() {
	select {
	case c.wake <- struct{}{}:
	default:
	}
}

func (c *Child) obey(cmd Command) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	defer c.nudge()
	switch cmd.Do {
	case "begin", "change":
		d, _, err := shot.Decode(cmd.Shot)
		if err != nil {
			return err
		}
		c.doc = d.Attach(c.Files)
		if cmd.Do == "begin" {
			c.voxel, c.domain = cmd.Value, cmd.Domain
			break
		}
		c.changes++
	case "next":
		c.credits = min(c.credits+1, 3)
	case "go":
		c.paused, c.retry = false, true
	case "pause":
		c.paused, c.steps = true, 0
	case "step":
		c.paused = true
		c.steps++
		c.retry = true
	case "restart":
		c.again = true
	case "pace":
		c.pace = max(0, cmd.Value)
	case "voxel":
		c.voxel, c.sized = cmd.Value, true
	}
	return nil
}

// due tells what to do next: whether to start again, whether to make a frame.
func (c *Child) due() (doc *shot.Shot, changes int, again, sized, make, ended bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	again, sized = c.again, c.sized
	c.again, c.sized = false, false
	if again || c.retry || c.changes != c.acting {
		c.stuck = false
	}
	c.retry = false
	make = c.credits > 0 && (!c.paused || c.steps > 0) && !c.stuck
	return c.doc, c.changes, again, sized, make, c.ended
}

// loop makes frames.
func (c *Child) loop() error {
	if err := c.begin(c.doc); err != nil {
		return err
	}
	for {
		doc, changes, again, sized, make, ended := c.due()
		switch {
		case ended:
			return nil
		case again || c.draft == nil && changes != c.acting:
			c.acting, c.tuned, c.voxels = changes, 0, 0
			if err := c.begin(doc); err != nil {
				return err
			}
			continue
		case sized && c.draft != nil:
			c.tuned, c.voxels = 0, 0
			if err := c.resize(doc); err != nil {
				return err
			}
			continue
		case changes != c.acting && c.draft != nil:
			c.acting = changes
			restarts, err := c.draft.Change(doc)
			if err == nil && restarts {
				err = c.begin(doc)
			}
			if err != nil {
				if err := c.tell(Head{Kind: "fault", Said: err.Error(), Change: c.acting}); err != nil {
					return err
				}
			}
			continue
		case !make || c.draft == nil:
			<-c.wake
			continue
		}
		if err := c.frame(doc); err != nil {
			return err
		}
	}
}

// begin makes a draft at rest; what keeps it from that is told, not returned.
func (c *Child) begin(doc *shot.Shot) error {
	dom, err := stage.PickDomain(doc, c.domain)
	if err == nil {
		h := c.choose(dom)
		c.draft, err = stage.NewDraft(doc, dom.ID, h, grid.NewCrew(c.Threads))
		if err == nil && c.Cache != nil {
			c.draft.Feed(run.Feed(doc, c.Cache))
		}
	}
	if err != nil {
		c.draft = nil
		return c.tell(Head{Kind: "fault", Said: err.Error()})
	}
	c.stuck, c.made, c.slow = false, 0, 0
	return c.tell(Head{Kind: "begin", Frame: c.draft.Next(), Voxel: c.draft.H, Voxels: c.draft.Voxels(), Change: c.acting})
}

// choose is the voxel size, m: somebody's, or what this machine steps quickly enough.
func (c *Child) choose(dom *shot.Element) float64 {
	c.mu.Lock()
	h := c.voxel
	c.mu.Unlock()
	if c.free = h <= 0; c.free {
		h = stage.CoarseVoxel(dom, c.speed/aim)
	}
	return h
}

// resize goes on with the same flow in voxels of another size; what can't do that
// begins again.
func (c *Child) resize(doc *shot.Shot) error {
	dom, err := stage.PickDomain(doc, c.domain)
	if err != nil {
		return c.begin(doc)
	}
	ok, err := c.draft.Refit(doc, c.choose(dom))
	if err != nil || !ok {
		return c.begin(doc)
	}
	c.stuck, c.made, c.slow = false, 0, 0
	return c.tell(Head{Kind: "told", Frame: c.draft.Next() - 1, Voxel: c.draft.H, Voxels: c.draft.Voxels(), Change: c.acting,
		Said: fmt.Sprintf("goes on with voxels of %.3g m", c.draft.H)})
}

func (c *Child) frame(doc *shot.Shot) error {
	first, last := doc.Range()
	if c.draft.Next() > last {
		c.stuck = true
		return c.tell(Head{Kind: "end", Frame: last, Change: c.acting})
	}
	begin := time.Now()
	n, st, err := c.draft.Advance(c.between(first))
	if errors.Is(err, sim.ErrStopped) {
		return nil // a change that starts it again, which the loop sees to
	}
	if err != nil {
		c.stuck = true
		said := err.Error()
		if errors.Is(err, stage.ErrBlown) {
			said += ". Change a value, or go on from there."
		}
		return c.tell(Head{Kind: "fault", Frame: n, Said: said, Change: c.acting})
	}
	c.mu.Lock()
	doc = c.doc // it may have changed under way
	c.mu.Unlock()
	tex, data := c.picture(doc, n)
	took := time.Since(begin).Seconds()
	c.learn(took)
	if n < first {
		return nil // pre-roll isn't shown
	}
	c.mu.Lock()
	c.credits--
	c.steps = max(0, c.steps-1)
	pace := c.pace
	c.mu.Unlock()
	h := Head{Kind: "frame", Frame: n, Seconds: took, Steps: st.Substeps, Rate: 1 / took, Speed: c.speed, Voxel: c.draft.H, Voxels: c.draft.Voxels(), Fastest: st.MaxSpeed, Change: c.acting, Volume: &tex, Sensors: c.draft.Readings()}
	if err := c.send(h, data); err != nil {
		return err
	}
	if err := c.tune(doc); err != nil {
		return err
	}
	if pace > 0 {
		c.sleep(time.Duration(1/(doc.Rate()*pace)*float64(time.Second)) - time.Since(begin))
	}
	return nil
}

// picture is what the page draws of the draft as it stands.
func (c *Child) picture(doc *shot.Shot, n int) (out render.Screen, data []byte) {
	shown, crew := c.draft.Shown(), grid.NewCrew(c.Threads)
	var err error
	if shown.Points != nil {
		out, data, err = run.LitMotes(shown.Points, c.draft.Of(), n, doc, doc.Looks[0], crew)
	} else if shown.Surface != nil {
		out, data, err = run.LitSkin(shown.Surface, shown.H, shown.Origin, shown.Outside, shown.Warm, n, doc, doc.Looks[0], crew)
	} else {
		ch := &render.Channels{Density: shown.Density, Burn: shown.Burn, Temperature: shown.Heat, Air: val.AirTemperature.Of(doc), Burns: shown.Burn != nil}
		out, data, err = run.Lit(ch, shown.H, shown.Origin, c.size, n, doc, doc.Looks[0], crew)
	}
	if err != nil { // the flow goes on, whatever its light
		return render.Screen{Parts: []render.Texture{}, Notes: []string{err.Error()}}, nil
	}
	return out, data
}

// between is what happens between the steps of a frame: changes act from the next
// step on, and what they do is shown as soon as a step was made with them, without
// waiting for the frame's end. It reports that the frame is to be left, as a change
// starts the draft again or nobody watches any more.
func (c *Child) between(first int) func() bool {
	steps, changed, tried, begin := 0, -1, 0, time.Now()
	return func() bool {
		if changed >= 0 && steps > changed {
			changed = -1
			if n := c.draft.Next(); n >= first {
				c.mu.Lock()
				doc := c.doc
				c.mu.Unlock()
				tex, data := c.picture(doc, n)
				h := Head{Kind: "frame", Frame: n, Seconds: time.Since(begin).Seconds(), Steps: steps, Speed: c.speed, Voxel: c.draft.H, Voxels: c.draft.Voxels(), Change: c.acting, Volume: &tex}
				if c.slow > 0 {
					h.Rate = 1 / c.slow
				}
				if c.send(h, data) != nil {
					return true
				}
			}
		}
		c.mu.Lock()
		doc, changes, leave := c.doc, c.changes, c.ended || c.again
		c.mu.Unlock()
		if changes != c.acting && changes != tried && !leave {
			tried = changes
			switch restarts, err := c.draft.Change(doc); {
			case restarts:
				leave = true
			case err == nil: // else the loop tries it again, and tells why not
				c.acting, changed = changes, steps
			}
		}
		steps++
		return leave
	}
}

// sleep waits, or until a command comes.
func (c *Child) sleep(d time.Duration) {
	if d <= 0 {
		return
	}
	until := time.After(d)
	for {
		select {
		case <-until:
			return
		case <-c.wake:
			c.mu.Lock()
			stir := c.ended || c.again || c.sized || c.changes != c.acting
			c.mu.Unlock()
			if stir {
				c.nudge()
				return
			}
		}
	}
}

// learn keeps running means of the voxels that a second of work carries a
// frame on, and of the time of a frame.
func (c *Child) learn(took float64) {
	c.made++
	switch c.made {
	case 1:
		return // solids are measured in it
	case 2:
		c.slow = took
	}
	c.slow += 0.3 * (took - c.slow)
	c.speed += 0.15 * (c.draft.Voxels()/took - c.speed)
}

// tune goes on with larger voxels where frames take too long, and with smaller ones
// where there is time for them, if the voxel size is the draft's own choice. Each time
// makes the next less likely, so that a flow whose cost changes doesn't flicker.
func (c *Child) tune(doc *shot.Shot) error {
	if !c.free || c.made < 5 || c.tuned >= 8 {
		return nil
	}
	slow, quick := c.slow > 1.0/least, c.slow < 1.0/most && c.made >= 12*(c.tuned+1)
	if !slow && !quick {
		return nil
	}
	c.speed = c.draft.Voxels() / c.slow
	dom, err := stage.PickDomain(doc, c.domain)
	if err != nil {
		return nil
	}
	// a tenth of a voxel's length is not worth a change
	if h := stage.CoarseVoxel(dom, c.speed/aim); math.Abs(h/c.draft.H-1) < 0.1 {
		return nil
	}
	if slow && c.voxels > 1.5*c.draft.Voxels() && c.slow > 0.75*c.took {
		// fewer voxels took hardly less: something else takes the time, and detail is lost
		c.speed, c.tuned = c.voxels*aim, 8
		return c.resize(doc)
	}
	c.voxels, c.took = c.draft.Voxels(), c.slow
	c.tuned++
	return c.resize(doc)
}

func (c *Child) tell(h Head) error { return c.send(h, nil) }

func (c *Child) send(h Head, data []byte) error {
	head, err := json.Marshal(h)
	if err != nil {
		return err
	}
	var n [8]byte
	binary.LittleEndian.PutUint32(n[:4], uint32(len(head)))
	binary.LittleEndian.PutUint32(n[4:], uint32(len(data)))
	c.out.Write(n[:])
	c.out.Write(head)
	c.out.Write(data)
	return c.out.Flush()
}
