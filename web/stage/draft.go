package stage

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"sync"
	"time"

	"github.com/coder/websocket"
	"github.com/gin-gonic/gin"

	"zarf/core/check"
	"zarf/core/shot"
	"zarf/core/stage"
	"zarf/studio"
	"zarf/studio/draft"
	"zarf/web/desk"
)

// drafts are the live drafts under way.
type drafts struct {
	mu   sync.Mutex
	list []*live
}

type live struct {
	*draft.Session
	why string // it was ended from this side
}

// maxDrafts run at once; each takes the whole machine.
const maxDrafts = 2

// add keeps a session; where there are too many the oldest one ends.
func (d *drafts) add(s *live) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if len(d.list) >= maxDrafts {
		d.list[0].why = fmt.Sprintf("ended: %d other drafts run, and no more can", maxDrafts)
		d.list[0].Close()
		d.list = d.list[1:]
	}
	d.list = append(d.list, s)
}

func (d *drafts) drop(s *live) (why string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.list = slices.DeleteFunc(d.list, func(o *live) bool { return o == s })
	return s.why
}

// closeAll ends every draft's process.
func (d *drafts) closeAll() {
	d.mu.Lock()
	defer d.mu.Unlock()
	for _, s := range d.list {
		s.why = "the server stops"
		s.Close()
	}
}

// draftVerbs are the commands that a page may give.
var draftVerbs = []string{"next", "go", "pause", "step", "restart", "pace", "voxel"}

// firstDraftRate stands in until a draft has measured this machine, voxels a
// second.
const firstDraftRate = 1.2e6

const draftRate = "draft_voxels_per_second"

// liveDraft ties a page to a draft's process by a WebSocket. The process's
// packets go through as they are; commands are looked at, and changes of the
// document come from the library, so that undo and other windows act too.
func (s *room) liveDraft(c *gin.Context) {
	row := desk.Row(c)
	if s.Opt.Draft == nil {
		c.String(http.StatusNotImplemented, "this server runs no drafts")
		return
	}
	ws, err := websocket.Accept(c.Writer, c.Request, &websocket.AcceptOptions{CompressionMode: websocket.CompressionDisabled})
	if err != nil {
		return // it has answered
	}
	defer ws.CloseNow()
	ctx, cancel := context.WithCancel(c.Request.Context())
	defer cancel()
	fault := func(said string) {
		ws.Write(ctx, websocket.MessageBinary, packet(draft.Head{Kind: "gone", Said: said}))
		ws.Close(websocket.StatusNormalClosure, "")
	}
	doc, err := s.Studio.Store.Doc(row.ID)
	if err != nil {
		fault("The shot can't be read.")
		return
	}
	notices, end := s.Studio.Listen()
	defer end()
	sess, err := draft.Start(s.Opt.Draft())
	if err != nil {
		fault(err.Error())
		return
	}
	l := &live{Session: sess}
	s.drafts.add(l)
	defer sess.Close()
	if err := s.beginDraft(c, sess, doc); err != nil {
		fault(err.Error())
		return
	}
	go s.feed(ctx, row.ID, sess, notices)
	go obey(ctx, ws, sess)
	fault(s.passOn(ctx, ws, l))
}

// beginDraft tells a draft what it is of, as the page's address says.
func (s *room) beginDraft(c *gin.Context, sess *draft.Session, doc *shot.Shot) error {
	size, _ := strconv.Atoi(c.Query("size"))
	if size == 0 {
		size = 64
	}
	voxel, _ := strconv.ParseFloat(c.Query("voxel"), 64)
	rate, _ := strconv.ParseFloat(s.Studio.Store.Setting(draftRate), 64)
	if rate <= 0 {
		rate = firstDraftRate
	}
	return sess.Tell(draft.Command{Do: "begin", Shot: doc.Encode(), Value: voxel, Rate: rate, Size: size, Domain: c.Query("domain")})
}

// obey passes the page's commands on until it goes; then the draft ends.
func obey(ctx context.Context, ws *websocket.Conn, sess *draft.Session) {
	defer sess.Close()
	for {
		kind, b, err := ws.Read(ctx)
		if err != nil {
			return
		}
		var cmd draft.Command
		if kind != websocket.MessageText || json.Unmarshal(b, &cmd) != nil || !slices.Contains(draftVerbs, cmd.Do) {
			continue
		}
		sess.Tell(draft.Command{Do: cmd.Do, Value: cmd.Value})
	}
}

// passOn sends the process's packets to the page until either ends, and says
// why. A page that takes 20 s for a packet is gone.
func (s *room) passOn(ctx context.Context, ws *websocket.Conn, l *live) string {
	speed := 0.0
	for {
		h, raw, err := l.Packet()
		if err != nil {
			why := s.drafts.drop(l)
			if speed > 0 {
				s.Studio.Store.SetSetting(draftRate, strconv.FormatFloat(speed, 'g', 4, 64))
			}
			if why == "" && !errors.Is(err, io.EOF) {
				why = err.Error() + "; nothing that was stored is lost"
			}
			if why == "" {
				why = "the draft's process ended; nothing that was stored is lost"
			}
			return desk.Sentence(why) + "."
		}
		if h.Speed > 0 {
			speed = h.Speed
		}
		wait, done := context.WithTimeout(ctx, 20*time.Second)
		err = ws.Write(wait, websocket.MessageBinary, raw)
		done()
		if err != nil {
			l.Close()
		}
	}
}

// feed tells a draft of every change of the document.
func (s *room) feed(ctx context.Context, shotID int64, sess *draft.Session, notices <-chan studio.Notice) {
	for {
		select {
		case <-s.Quit:
			sess.Close()
			return
		case <-ctx.Done():
			return
		case n, ok := <-notices:
			if !ok {
				sess.Close()
				return
			}
			if n.Kind != "document" || n.Shot != shotID {
				continue
			}
			if doc, err := s.Studio.Store.Doc(shotID); err == nil {
				sess.Tell(draft.Command{Do: "change", Shot: doc.Encode()})
			}
		}
	}
}

// packet is a head without a volume.
func packet(h draft.Head) []byte {
	b := []byte(desk.JSON(h))
	return append(binary.LittleEndian.AppendUint32(binary.LittleEndian.AppendUint32(nil, uint32(len(b))), 0), b...)
}

// keepDraft runs the shot's values, as coarse as the draft has them, as a take.
func (s *room) keepDraft(c *gin.Context) {
	row := desk.Row(c)
	voxel, err := strconv.ParseFloat(c.PostForm("voxel"), 64)
	if err != nil || !(voxel > 0) || voxel > 1e6 {
		s.Fail(c, http.StatusUnprocessableEntity, fmt.Sprintf("Not kept: %q is no voxel size.", c.PostForm("voxel")), "")
		return
	}
	doc, err := s.Studio.Store.Doc(row.ID)
	var coarse *shot.Shot
	if err == nil {
		coarse, err = stage.Coarse(doc, c.PostForm("domain"), voxel)
	}
	if err == nil {
		if bad := check.Faults(check.Shot(coarse, check.Machine{Memory: studio.Memory()})); len(bad) > 0 {
			err = &studio.Refused{Findings: bad}
		}
	}
	if err != nil {
		s.Answer(c, err)
		return
	}
	t, err := s.Studio.RunDoc(row, coarse, c.PostForm("domain"), 0, 0, fmt.Sprintf("draft at %s", shot.Metre.Format(voxel, "m")+" m"))
	s.Answer(c, err, "take", strconv.Itoa(t.Number))
}
