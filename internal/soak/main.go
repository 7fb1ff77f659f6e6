// Command soak uses a server hard and holds what comes of it against runs that nobody
// disturbed: gas, liquid and chains are run while workers and servers are killed, the
// queue's files are spoilt, the disk is filled and hostile files are brought in. No
// job may be lost or have to be resumed by hand, every frame must have the bits of the
// undisturbed run, and the server must answer all the while.
//
// It ends after -minutes, or where -kills is given after so many, and then as soon as
// all that is under way has ended. What it saw stands in its log, one line for each
// thing that happened; the exit code is 1 where something was not as it must be.
// With -disk the data lie on a disk of their own of so many MB, for which it must be
// root.
package main

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"mime/multipart"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	_ "modernc.org/sqlite" // the driver

	"zarf/core/shot"
	"zarf/core/shot/val"
	_ "zarf/core/solvers"
	"zarf/core/stage"
	"zarf/studio"
	"zarf/studio/cache"
)

func main() {
	var s soak
	minutes := flag.Float64("minutes", 60, "how long")
	flag.IntVar(&s.kills, "kills", 0, "end after so many kills; 0: none, by the time")
	flag.StringVar(&s.zarf, "zarf", "bin/zarf", "the program")
	flag.IntVar(&s.disk, "disk", 0, "MB of a disk of its own, which is filled now and then; 0: none")
	flag.Uint64Var(&s.seed, "seed", uint64(time.Now().UnixNano()), "of all that is by chance")
	flag.Parse()
	s.until = time.Now().Add(time.Duration(*minutes * float64(time.Minute)))
	if err := s.run(); err != nil {
		fmt.Println("soak:", err)
		os.Exit(1)
	}
}

// soak is a session.
type soak struct {
	zarf  string
	kills int
	disk  int
	seed  uint64
	until time.Time

	chance *rand.Rand
	dir    string // data folder
	server *exec.Cmd
	log    *os.File // what servers say
	where  string   // address without the token
	token  string
	ports  string

	counts map[string]int
	faults []string
	want   []variant
}

// variant is a shot with what its frames must be.
type variant struct {
	doc  *shot.Shot
	sums map[string]string // "domain/frame" to the frame's checksum
}

func (s *soak) say(format string, a ...any) {
	fmt.Printf("%s  %s\n", time.Now().Format("15:04:05"), fmt.Sprintf(format, a...))
}

func (s *soak) fault(format string, a ...any) {
	text := fmt.Sprintf(format, a...)
	s.faults = append(s.faults, text)
	s.say("FAULT %s", text)
}

func (s *soak) run() error {
	s.chance = rand.New(rand.NewPCG(s.seed, 1))
	s.counts = map[string]int{}
	top, err := os.MkdirTemp("", "zarf-soak-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(top)
	s.dir = filepath.Join(top, "data")
	if err := os.Mkdir(s.dir, 0o700); err != nil {
		return err
	}
	if s.disk > 0 {
		if err := syscall.Mount("tmpfs", s.dir, "tmpfs", 0, fmt.Sprintf("size=%dm", s.disk)); err != nil {
			return fmt.Errorf("a disk of its own: %w", err)
		}
		defer syscall.Unmount(s.dir, syscall.MNT_DETACH)
	}
	if s.log, err = os.Create(filepath.Join(top, "server.log")); err != nil {
		return err
	}
	defer s.log.Close()
	s.say("seed %d; undisturbed runs first", s.seed)
	if err := s.references(filepath.Join(top, "reference")); err != nil {
		return err
	}
	if err := s.start(); err != nil {
		return err
	}
	defer s.stop()
	for round := 0; s.goesOn(); round++ {
		if err := s.round(round); err != nil {
			return err
		}
	}
	s.say("%v", s.counts)
	if len(s.faults) > 0 {
		return fmt.Errorf("%d faults, the first: %s", len(s.faults), s.faults[0])
	}
	s.say("no job lost, none resumed by hand, all hashes equal")
	return nil
}

func (s *soak) goesOn() bool {
	if s.kills > 0 {
		return s.counts["kills"] < s.kills
	}
	return time.Now().Before(s.until)
}

// shots are what is run: gas that burns, a liquid, and smoke that another domain feeds.
func shots() []*shot.Shot {
	gas := shot.New("GAS")
	val.Last.Set(gas.Self, 30)
	d := gas.Add(shot.Domain)
	val.Size.Set(d, 1.2, 1.8, 1.2)
	val.Position.Set(d, 0, 0.9, 0)
	val.Voxel.Set(d, 0.04)
	val.Bounds.Set(d, "follow")
	val.Burning.Set(d, "fuel")
	e := gas.Add(shot.Emitter)
	val.Position.Set(e, 0, 0.3, 0)
	val.Fuel.Set(e, 0.06)
	val.Temperature.Set(e, 900)
	val.Breakup.Set(e, 0.3)
	t := gas.Add(shot.Turbulence)
	val.Strength.Set(t, 3)

	water := shot.New("WATER")
	val.Last.Set(water.Self, 24)
	d = water.Add(shot.Domain)
	val.Fluid.Set(d, "liquid")
	val.Size.Set(d, 1, 1, 1)
	val.Position.Set(d, 0, 0.5, 0)
	val.Voxel.Set(d, 0.05)
	for _, side := range []val.TextKey{val.SideX0, val.SideX1, val.SideZ0, val.SideZ1} {
		side.Set(d, "wall")
	}
	e = water.Add(shot.Emitter)
	val.Form.Set(e, "box")
	val.Size.Set(e, 0.4, 0.4, 0.4)
	val.Position.Set(e, -0.25, 0.6, 0)
	val.Pours.Set(e, "once")

	chain := shot.New("CHAIN")
	val.Last.Set(chain.Self, 20)
	var doms []*shot.Element
	for n := range 2 {
		d := chain.Add(shot.Domain)
		val.Size.Set(d, 1, 1.4, 1)
		val.Position.Set(d, float64(n)*0.2, 0.7, 0)
		val.Voxel.Set(d, 0.05)
		doms = append(doms, d)
	}
	first, second := chain.Add(shot.Emitter), chain.Add(shot.Emitter)
	val.Position.Set(first, 0, 0.25, 0)
	val.Smoke.Set(first, 2)
	first.ActsOn = []string{doms[0].ID}
	val.From.Set(second, "fluid")
	val.FedBy.Set(second, doms[0].ID)
	second.ActsOn = []string{doms[1].ID}
	return []*shot.Shot{gas, water, chain}
}

// variants is how many of each shot there are, told apart by their seed.
const variants = 3

// references runs every variant where nobody disturbs it.
func (s *soak) references(dir string) error {
	c, err := cache.Open(filepath.Join(dir, "cache"))
	if err != nil {
		return err
	}
	for _, base := range shots() {
		for n := range variants {
			doc := base.Clone()
			doc.Name = fmt.Sprintf("%s %d", base.Name, n)
			for _, d := range doc.Of(shot.Domain) {
				val.Seed.Set(d, float64(n+1))
				val.Gravity.Set(doc.Self, 9.81+float64(n)/50)
			}
			file := filepath.Join(dir, "shot.json")
			if err := os.WriteFile(file, doc.Encode(), 0o600); err != nil {
				return err
			}
			order, err := doc.Order()
			if err != nil {
				return err
			}
			for _, d := range order {
				out, err := exec.Command(s.zarf, "sim", file, "--domain", d.ID, "--data", dir).CombinedOutput()
				if err != nil {
					return fmt.Errorf("undisturbed run of %s: %w: %s", doc.Name, err, out)
				}
			}
			v := variant{doc, sums(c, doc)}
			if len(v.sums) == 0 {
				return fmt.Errorf("the undisturbed run of %s left no frames", doc.Name)
			}
			s.want = append(s.want, v)
		}
	}
	return nil
}

// sums are the checksums of a shot's frames in a cache, particles too.
func sums(c *cache.Cache, doc *shot.Shot) map[string]string {
	out := map[string]string{}
	for _, d := range doc.Of(shot.Domain) {
		st := c.Stage(stage.Key(doc, d))
		for n, f := range st.Frames() {
			text := f.SHA256
			if f.Points > 0 {
				text += fmt.Sprint(f.PointCRC)
			}
			if err := st.Check(n); err != nil {
				text = err.Error()
			}
			out[d.ID+"/"+strconv.Itoa(n)] = text
		}
	}
	return out
}

// start runs the server and waits until it answers.
func (s *soak) start() error {
	listen := "127.0.0.1:0"
	if s.ports != "" {
		listen = s.ports
	}
	for n := 0; ; n++ {
		err := s.startAt(listen)
		if err == nil {
			return nil
		}
		if n == 20 {
			return err
		}
		s.counts["starts that failed"]++
		s.say("a start failed: %v", err)
		time.Sleep(200 * time.Millisecond)
	}
}

func (s *soak) startAt(listen string) error {
	s.server = exec.Command(s.zarf, "serve", "--data", s.dir, "--listen", listen)
	s.server.Stderr = s.log
	out, err := s.server.StdoutPipe()
	if err != nil {
		return err
	}
	if err := s.server.Start(); err != nil {
		return err
	}
	told := make(chan string, 1)
	go func() {
		b := make([]byte, 1000)
		n, _ := out.Read(b)
		told <- string(b[:n])
		io.Copy(io.Discard, out)
	}()
	select {
	case text := <-told:
		_, rest, ok := strings.Cut(text, "http://")
		u, err := url.Parse("http://" + strings.Split(rest+" ", " ")[0])
		if !ok || err != nil {
			s.server.Process.Kill()
			s.server.Wait()
			return fmt.Errorf("the server said %q", text)
		}
		s.where, s.token, s.ports = "http://"+u.Host, u.Query().Get("token"), u.Host
		return nil
	case <-time.After(20 * time.Second):
		s.server.Process.Kill()
		s.server.Wait()
		return errors.New("the server said nothing for 20 s")
	}
}

func (s *soak) stop() {
	if s.server != nil {
		s.server.Process.Signal(os.Interrupt)
		s.server.Wait()
	}
}

// ask sends a request as a page would.
func (s *soak) ask(method, path, kind string, body io.Reader) (int, string, error) {
	r, err := http.NewRequest(method, s.where+path, body)
	if err != nil {
		return 0, "", err
	}
	r.Header.Set("Authorization", "Bearer "+s.token)
	if kind != "" {
		r.Header.Set("Content-Type", kind)
	}
	client := http.Client{Timeout: time.Minute, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	resp, err := client.Do(r)
	if err != nil {
		return 0, "", err
	}
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	return resp.StatusCode, resp.Header.Get("Location") + "\n" + string(b), err
}

// upload sends a file.
func (s *soak) upload(path, name string, data []byte) (int, string, error) {
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	f, err := w.CreateFormFile("file", name)
	if err != nil {
		return 0, "", err
	}
	f.Write(data)
	w.WriteField("as", "collider")
	w.Close()
	return s.ask("POST", path, w.FormDataContentType(), &b)
}

// job is what the database says of a job.
type job struct {
	id             int64
	state, message string
}

// jobs reads the jobs past the server, which may be down.
func (s *soak) jobs() (out []job, err error) {
	db, err := sql.Open("sqlite", "file:"+studio.Database(s.dir)+"?mode=ro&_pragma=busy_timeout(2000)")
	if err != nil {
		return nil, err
	}
	defer db.Close()
	rows, err := db.Query(`SELECT id, state, message FROM jobs ORDER BY id`)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var j job
		if err := rows.Scan(&j.id, &j.state, &j.message); err != nil {
			return nil, err
		}
		out = append(out, j)
	}
	return out, rows.Err()
}

// round brings in a few shots, runs them while things happen, and looks at the frames.
func (s *soak) round(n int) error {
	var slugs []string
	picked := s.chance.Perm(len(s.want))[:3]
	for _, i := range picked {
		code, text, err := s.upload("/shots/import", "shot.json", s.want[i].doc.Encode())
		if err != nil || code != http.StatusSeeOther {
			return fmt.Errorf("a shot could not be imported: %d %.200s %v", code, text, err)
		}
		slug := strings.Split(strings.TrimPrefix(text, "/shots/"), "/")[0]
		slugs = append(slugs, slug)
		if code, text, err := s.ask("POST", "/shots/"+slug+"/run", "application/x-www-form-urlencoded", strings.NewReader("")); err != nil || code >= 400 {
			return fmt.Errorf("a run could not be asked for: %d %.200s %v", code, text, err)
		}
		// a chain's second domain is asked for as well
		for _, d := range s.want[i].doc.Of(shot.Domain)[1:] {
			s.ask("POST", "/shots/"+slug+"/run", "application/x-www-form-urlencoded", strings.NewReader("domain="+d.ID))
		}
	}
	begin := time.Now()
	for {
		l, err := s.jobs()
		if err != nil {
			return err
		}
		active := slices.ContainsFunc(l, func(j job) bool { return j.state == "queued" || j.state == "running" })
		if !active {
			break
		}
		if time.Since(begin) > 10*time.Minute {
			s.fault("round %d: jobs still wait after 10 minutes: %v", n, l)
			break
		}
		time.Sleep(time.Duration(200+s.chance.IntN(2500)) * time.Millisecond)
		if s.goesOn() {
			if err := s.disturb(slugs); err != nil {
				return err
			}
		}
	}
	return s.compare(n, picked, slugs)
}

// compare holds a round's frames against the undisturbed ones, and throws both the
// shots and their frames away.
func (s *soak) compare(n int, picked []int, slugs []string) error {
	l, err := s.jobs()
	if err != nil {
		return err
	}
	for _, j := range l {
		if j.state != "done" {
			s.fault("round %d: job %d ended as %s: %s", n, j.id, j.state, j.message)
		}
	}
	c, err := cache.Open(filepath.Join(s.dir, "cache"))
	if err != nil {
		return err
	}
	same := 0
	for _, i := range picked {
		got := sums(c, s.want[i].doc)
		for k, sum := range s.want[i].sums {
			if got[k] != sum {
				s.fault("round %d: frame %s of %s is %q, undisturbed %q", n, k, s.want[i].doc.Name, got[k], sum)
			} else {
				same++
			}
		}
	}
	s.counts["frames equal"] += same
	s.counts["rounds"]++
	s.say("round %d: %d frames equal; %d kills so far", n, same, s.counts["kills"])
	for _, slug := range slugs {
		s.ask("POST", "/shots/"+slug+"/archive", "application/x-www-form-urlencoded", strings.NewReader("on=1"))
		if code, text, err := s.ask("POST", "/shots/"+slug+"/delete", "application/x-www-form-urlencoded", strings.NewReader("")); err != nil || code >= 400 {
			s.fault("round %d: %s could not be deleted: %d %.200s %v", n, slug, code, text, err)
		}
	}
	return nil
}

// disturb does one of the things that happen to servers.
func (s *soak) disturb(slugs []string) error {
	slug := slugs[s.chance.IntN(len(slugs))]
	switch k := s.chance.IntN(20); {
	case k < 7:
		s.killWorker()
	case k < 12:
		return s.killServer(false, "server")
	case k < 14:
		s.killWorker()
		return s.killServer(false, "both")
	case k < 16:
		return s.killServer(true, "server and the queue's files")
	case k < 18:
		s.hostile(slug)
	case k < 19 && s.disk > 0:
		s.fillDisk()
	default:
		s.look(slug)
	}
	return nil
}

// workers are the server's worker processes.
func (s *soak) workers() (out []int) {
	list, _ := filepath.Glob("/proc/[0-9]*/stat")
	for _, p := range list {
		b, _ := os.ReadFile(p)
		_, rest, _ := strings.Cut(string(b), ") ")
		f := strings.Fields(rest)
		cmd, _ := os.ReadFile(filepath.Join(filepath.Dir(p), "cmdline"))
		if len(f) > 1 && f[1] == strconv.Itoa(s.server.Process.Pid) && bytes.Contains(cmd, []byte("\x00worker\x00")) {
			pid, _ := strconv.Atoi(filepath.Base(filepath.Dir(p)))
			out = append(out, pid)
		}
	}
	return out
}

func (s *soak) killWorker() {
	for _, pid := range s.workers() {
		syscall.Kill(pid, syscall.SIGKILL)
		s.counts["kills"]++
		s.counts["killed: worker"]++
	}
}

// killServer kills the server and starts it again at once.
func (s *soak) killServer(spoil bool, what string) error {
	s.server.Process.Kill()
	s.server.Wait()
	s.counts["kills"]++
	s.counts["killed: "+what]++
	if spoil {
		queue := filepath.Join(s.dir, "queue")
		filepath.WalkDir(queue, func(p string, d os.DirEntry, err error) error {
			if err == nil && !d.IsDir() {
				os.WriteFile(p, []byte("spoilt"), 0o600)
			}
			return nil
		})
		os.WriteFile(filepath.Join(queue, "jetstream"), []byte("half a store"), 0o600)
	}
	return s.start()
}

// hostile brings in what must be refused.
func (s *soak) hostile(slug string) {
	files := map[string][]byte{
		"arc.svg":   []byte(`<svg viewBox="0 0 10 10"><path d="M0 0 A1e308 1e308 0 0 1 10 10Z"/></svg>`),
		"cut.glb":   append([]byte("glTF\x02\x00\x00\x00\xff\xff\x00\x00"), make([]byte, 40)...),
		"long.obj":  append(bytes.Repeat([]byte("v 1 2 3\n"), 1000), []byte("f 1 2 99999999\n")...),
		"empty.ply": []byte("ply\nformat ascii 1.0\nelement vertex 2000000000\nproperty float x\nend_header\n"),
	}
	for name, b := range files {
		code, text, err := s.upload("/shots/"+slug+"/bring", name, b)
		if err != nil || code < 400 || code >= 500 {
			if name == "arc.svg" && err == nil && code == 200 { // drawn straight
				continue
			}
			s.fault("%s was answered with %d %.200s %v", name, code, text, err)
		}
	}
	deep := `{"format": "zarf-shot/1", "name": "D", "later": ` + strings.Repeat("[", 5000) + strings.Repeat("]", 5000) + `}`
	if code, text, err := s.upload("/shots/import", "deep.json", []byte(deep)); err != nil || code != 422 {
		s.fault("a deep shot was answered with %d %.200s %v", code, text, err)
	}
	s.counts["hostile files"] += len(files) + 1
}

// fillDisk takes all room for a while.
func (s *soak) fillDisk() {
	name := filepath.Join(s.dir, "ballast")
	f, err := os.Create(name)
	if err != nil {
		return
	}
	for size := 1 << 20; size > 0; size /= 2 {
		b := make([]byte, size)
		for {
			if _, err := f.Write(b); err != nil {
				break
			}
		}
	}
	f.Close()
	time.Sleep(time.Duration(2+s.chance.IntN(10)) * time.Second)
	os.Remove(name)
	s.counts["full disks"]++
}

// look asks for pages as people do.
func (s *soak) look(slug string) {
	for _, path := range []string{"/", "/queue", "/shots/" + slug + "/stage", "/shots/" + slug + "/takes", "/shots/" + slug + "/scene.json", "/shots/" + slug + "/parts/score"} {
		if code, text, err := s.ask("GET", path, "", nil); err != nil || code != 200 {
			s.fault("%s was answered with %d %.200s %v", path, code, text, err)
		}
	}
	s.counts["looks"]++
	if s.counts["looks"]%10 == 0 {
		b, _ := json.Marshal(s.counts)
		s.say("%s", b)
	}
}
