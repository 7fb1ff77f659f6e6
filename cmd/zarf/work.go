package main

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strconv"
	"strings"
	"text/tabwriter"

	"github.com/mattn/go-isatty"
	"github.com/spf13/cobra"

	"zarf/core/asset"
	"zarf/core/check"
	"zarf/core/edit"
	"zarf/core/format/vdb"
	"zarf/core/frame"
	"zarf/core/recipe"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
	"zarf/demo"
	"zarf/studio"
	"zarf/studio/assets"
	"zarf/studio/cache"
	"zarf/studio/handover"
	"zarf/studio/run"
	"zarf/studio/store"
)

// load finds a shot by file or by name.
func (o *options) load(name string) (*shot.Shot, error) {
	if strings.HasSuffix(strings.ToLower(name), ".json") {
		b, err := os.ReadFile(name)
		if err != nil {
			return nil, fmt.Errorf("shot file: %w", err)
		}
		s, unknown, err := shot.Decode(b)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		if len(unknown) > 0 {
			fmt.Fprintf(os.Stderr, "zarf: %s: kept, but not known here: %s\n", name, strings.Join(unknown, ", "))
		}
		return s.Attach(o.files()), nil
	}
	if err := o.settle(name); err != nil {
		return nil, err
	}
	st, err := o.library()
	if err != nil {
		return nil, err
	}
	defer st.Close()
	row, err := st.Shot(name)
	if err != nil {
		return nil, err
	}
	return st.Doc(row.ID)
}

// settle finds a library for a shot where the data folder has none yet: the
// demo's, if there is one and no folder was named; and for one of the demo's
// shots a new library, so that a fresh machine can simulate at once. It says
// what it did.
func (o *options) settle(name string) error {
	if o.made() {
		return nil
	}
	if o.data == defaultData() && os.Getenv("ZARF_DATA") == "" {
		if there := (&options{data: demoData()}); there.made() {
			o.data = there.data
			fmt.Fprintf(os.Stderr, "zarf: no library in %s; taking the demo's in %s\n", defaultData(), o.data)
			return nil
		}
	}
	if !slices.ContainsFunc(demo.Names, func(n string) bool { return store.Slug(n) == store.Slug(name) }) {
		return nil // library says what is missing
	}
	fmt.Fprintf(os.Stderr, "zarf: no library in %s yet; making one with the demo's shots\n", o.data)
	if err := os.MkdirAll(o.data, 0o755); err != nil {
		return err
	}
	files, err := assets.Open(filepath.Join(o.data, "assets"))
	if err != nil {
		return err
	}
	st, err := store.Open(filepath.Join(o.data, "zarf.db"))
	if err != nil {
		return err
	}
	defer st.Close()
	return plant(st, files)
}

// made tells whether the data folder holds a library.
func (o *options) made() bool {
	_, err := os.Stat(filepath.Join(o.data, "zarf.db"))
	return err == nil
}

func (o *options) library() (*store.Store, error) {
	if !o.made() {
		return nil, fmt.Errorf("there is no library in %s yet; zarf demo or zarf serve makes one, one of the demo's shots (%s) makes one too, or name a shot file", o.data, strings.Join(demo.Names, ", "))
	}
	st, err := store.Open(filepath.Join(o.data, "zarf.db"))
	if err == nil {
		st.Files = o.files()
	}
	return st, err
}

// files is the library of imported files; nil, which says so when asked, where
// the data folder can't be used.
func (o *options) files() *asset.Library {
	d, err := assets.Open(filepath.Join(o.data, "assets"))
	if err != nil {
		return nil
	}
	return asset.New(d)
}

func (o *options) cache() (*cache.Cache, error) {
	return cache.Open(filepath.Join(o.data, "cache"))
}

// frames reads "A-B" or "A"; empty takes the shot's range.
func frames(text string, s *shot.Shot) (a, b int, err error) {
	a, b = s.Range()
	if text == "" {
		return a, b, nil
	}
	bad := usage{fmt.Errorf("--frames is %q; give A-B or one number", text)}
	cut := strings.LastIndex(text, "-")
	if cut > 0 && text[cut-1] != '-' {
		var err1, err2 error
		a, err1 = strconv.Atoi(text[:cut])
		b, err2 = strconv.Atoi(text[cut+1:])
		if err1 != nil || err2 != nil {
			return 0, 0, bad
		}
	} else if a, err = strconv.Atoi(text); err == nil {
		b = a
	} else {
		return 0, 0, bad
	}
	first, _ := s.Range()
	if b < a || a < first {
		return 0, 0, usage{fmt.Errorf("--frames is %q; the shot begins at frame %d, and the end can't come before the start", text, first)}
	}
	return a, b, nil
}

// reporter prints progress: one moving line on a terminal, JSON lines for
// machines, nothing else.
func (o *options) reporter(what string) (run.Report, func()) {
	tty := isatty.IsTerminal(os.Stderr.Fd())
	enc := json.NewEncoder(os.Stdout)
	var log run.Log
	say := func(lines []string) {
		for _, l := range lines {
			fmt.Fprintln(os.Stderr, "zarf:", l)
		}
	}
	return func(p run.Progress) {
			switch {
			case o.json:
				enc.Encode(p)
			case tty:
				fmt.Fprintf(os.Stderr, "\r\x1b[K%s: frame %d, %d of %d, %.1f s left", what, p.Frame, p.Done, p.Total, p.Left)
				log.Add(p)
			default:
				say(log.Add(p))
			}
		}, func() {
			if tty && !o.json {
				fmt.Fprintln(os.Stderr)
			}
			say(log.End())
		}
}

// refuse turns faults into an error.
func refuse(s *shot.Shot) error {
	if bad := check.Faults(check.Shot(s, check.Machine{Memory: studio.Memory()})); len(bad) > 0 {
		return &studio.Refused{Findings: bad}
	}
	return nil
}

// simulate makes the frames of a span that the cache lacks.
func simulate(ctx context.Context, o *options, s *shot.Shot, domain, span string) (c *cache.Cache, a, b int, err error) {
	if a, b, err = frames(span, s); err != nil {
		return nil, 0, 0, err
	}
	if err := refuse(s); err != nil {
		return nil, 0, 0, err
	}
	if c, err = o.cache(); err != nil {
		return nil, 0, 0, err
	}
	report, end := o.reporter("simulating " + s.Name)
	defer end()
	order, err := s.Order()
	if err != nil {
		return nil, 0, 0, err
	}
	if domain != "" || len(order) < 2 {
		j := run.Sim{Shot: s, Domain: domain, From: a, To: b, Threads: o.threads}
		return c, a, b, j.Do(ctx, c, report)
	}
	first, _ := s.Range() // those that are fed need all frames before
	for _, d := range order {
		j := run.Sim{Shot: s, Domain: d.ID, From: min(a, first), To: b, Threads: o.threads}
		if err := j.Do(ctx, c, report); err != nil {
			return c, a, b, fmt.Errorf("%s: %w", d.Name, err)
		}
	}
	return c, a, b, nil
}

func simCommand(o *options) *cobra.Command {
	var span, out, domain string
	c := &cobra.Command{Use: "sim SHOT", Short: "Simulate a shot into OpenVDB files", Args: exactly(1, "a shot"),
		RunE: func(c *cobra.Command, args []string) error {
			s, err := o.load(args[0])
			if err != nil {
				return err
			}
			ca, a, b, err := simulate(c.Context(), o, s, domain, span)
			if err != nil {
				return err
			}
			if err := tellAfter(c.ErrOrStderr(), s, domain, ca); err != nil {
				return err
			}
			return copyFrames(s, domain, ca, a, b, out)
		}}
	c.Flags().StringVar(&span, "frames", "", "frames A-B (the shot's range where left out)")
	c.Flags().StringVar(&out, "out", "", "folder for the frames, name.0001.vdb …")
	c.Flags().StringVar(&domain, "domain", "", "id of the domain (the first where left out)")
	return c
}

// tellAfter prints what the frames of a run tell: smoke cut off, too few
// substeps, expansion held back.
func tellAfter(w io.Writer, s *shot.Shot, domain string, c *cache.Cache) error {
	src, err := run.Open(s, domain, c)
	if err != nil {
		return err
	}
	for _, f := range stage.After(src.Shot, src.Domain, run.Stats(src.Stage.Frames())) {
		fmt.Fprintf(w, "%s: %s %s\n", f.Severity, f.What, f.Why)
	}
	return nil
}

// recipeCommand lists recipes, or writes a shot made from one.
func recipeCommand(o *options) *cobra.Command {
	var size, name, out string
	c := &cobra.Command{Use: "recipe [RECIPE]", Short: "List the recipes, or make a shot file from one", Args: cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if len(args) == 0 {
				for _, r := range recipe.All {
					fmt.Fprintf(c.OutOrStdout(), "%-14s %s, for about %s m. %s\n", r.Key, r.Name, shot.Short(r.Size), r.About)
				}
				return nil
			}
			r, err := recipe.Find(args[0])
			if err != nil {
				return usage{fmt.Errorf("%w; zarf recipe lists them", err)}
			}
			wide := r.Size
			if size != "" {
				if wide, err = shot.Metre.Parse(size, "m"); err != nil || !(wide >= 1e-3 && wide <= 1e4) {
					return usage{fmt.Errorf("--size %q: give 0.001 to 10000 m, such as 60cm", size)}
				}
			}
			if name == "" {
				name = r.Key
			}
			if err := shot.CheckName(name); err != nil {
				return usage{fmt.Errorf("--name: %w", err)}
			}
			s := r.Shot(name, wide)
			if out == "" {
				_, err = c.OutOrStdout().Write(s.Encode())
				return err
			}
			_, _, err = cache.WriteFile(out, func(w io.Writer) error { _, err := w.Write(s.Encode()); return err })
			return err
		}}
	c.Flags().StringVar(&size, "size", "", "size across of the thing that it is put on, such as 60cm")
	c.Flags().StringVar(&name, "name", "", "name of the shot")
	c.Flags().StringVar(&out, "out", "", "file (printed where left out)")
	return c
}

// copyFrames puts cached frames into a folder.
func copyFrames(s *shot.Shot, domain string, c *cache.Cache, a, b int, out string) error {
	if out == "" {
		return nil
	}
	src, err := run.Open(s, domain, c)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	for f := a; f <= b; f++ {
		data, err := src.Stage.Read(f)
		if err != nil {
			return err
		}
		name := filepath.Join(out, fmt.Sprintf("%s.%04d.vdb", store.Slug(s.Name), f))
		if _, _, err := cache.WriteFile(name, func(w io.Writer) error { _, err := w.Write(data); return err }); err != nil {
			return err
		}
	}
	return nil
}

func renderCommand(o *options) *cobra.Command {
	var span, out, domain, lookID string
	var samples, width int
	var tiles, sides bool
	c := &cobra.Command{Use: "render SHOT", Short: "Render frames to PNG, OpenEXR or HDR as a look says, simulating what is missing", Args: exactly(1, "a shot"),
		RunE: func(c *cobra.Command, args []string) error {
			if out == "" {
				return usage{fmt.Errorf("--out is missing; name the folder for the pictures")}
			}
			s, err := o.load(args[0])
			if err != nil {
				return err
			}
			ca, a, b, err := simulate(c.Context(), o, s, domain, span)
			if err != nil {
				return err
			}
			j := run.Render{Take: s, Now: s, Domain: domain, Look: lookID, From: a, To: b, Samples: samples, Dir: out, Name: store.Slug(s.Name), Threads: o.threads}
			if width > 0 {
				lk := s.Look(lookID)
				if lk == nil {
					return fmt.Errorf("the shot has no look %q", lookID)
				}
				j.Width = width
				j.Height = max(1, int(float64(width)*val.Height.Of(lk)/val.Width.Of(lk)+0.5))
			}
			if tiles || sides {
				lk := s.Look(lookID)
				if lk == nil {
					return fmt.Errorf("the shot has no look %q", lookID)
				}
				run.ForTiles(lk)
				j.Tiles, j.Sides = true, sides
			}
			report, end := o.reporter("rendering " + s.Name)
			left := 0
			err = j.Do(c.Context(), ca, func(p run.Progress) {
				if p.Reused {
					left++
				}
				report(p)
			})
			end()
			if left > 0 { // whatever the look and the values are now
				fmt.Fprintf(os.Stderr, "zarf: %d of %d pictures were in %s already and stay as they are; delete them or name another folder to render them anew\n", left, b-a+1, out)
			}
			return err
		}}
	f := c.Flags()
	f.StringVar(&span, "frames", "", "frames A-B (the shot's range where left out)")
	f.StringVar(&out, "out", "", "folder for the pictures; those that are there already are left as they are")
	f.StringVar(&domain, "domain", "", "id of the domain (all, one after the other, where left out)")
	f.StringVar(&lookID, "look", "", "id of the look (the first where left out)")
	f.IntVar(&samples, "samples", 0, "samples a pixel (the look's where 0)")
	f.IntVar(&width, "width", 0, "pixels across (the look's where 0)")
	f.BoolVar(&tiles, "tiles", false, "write OpenEXR with the layers that flipbooks are packed from, on nothing")
	f.BoolVar(&sides, "sides", false, "with --tiles: light from six sides too")
	return c
}

func handoverCommand(o *options) *cobra.Command {
	var span, out, domain, name, renders, lookID, preset string
	var sets []string
	c := &cobra.Command{Use: "handover SHOT", Short: "Write volumes, points, meshes, pictures or a flipbook with a manifest, and read them back", Args: exactly(1, "a shot"),
		RunE: func(c *cobra.Command, args []string) error {
			if out == "" {
				return usage{fmt.Errorf("--out is missing; name the folder for the files")}
			}
			s, err := o.load(args[0])
			if err != nil {
				return err
			}
			if preset != "" {
				p, ok := handover.FindPreset(preset)
				if !ok {
					return usage{fmt.Errorf("--preset is %q; choose one of %s", preset, strings.Join(presetKeys(), ", "))}
				}
				if err := s.Handover.PutAll(p.Values); err != nil {
					return err
				}
			}
			for _, kv := range sets {
				if err := setHandover(s, kv); err != nil {
					return err
				}
			}
			var ca *cache.Cache
			var a, b int
			if w := val.What.Of(s.Handover); w == "pictures" || w == "flipbook" {
				if renders == "" {
					return usage{fmt.Errorf("--renders is missing; name the folder of rendered pictures")}
				}
				if a, b, err = frames(span, s); err == nil {
					ca, err = o.cache()
				}
			} else {
				ca, a, b, err = simulate(c.Context(), o, s, domain, span)
			}
			if err != nil {
				return err
			}
			if name == "" {
				name = store.Slug(s.Name)
			}
			if err := shot.CheckName(name); err != nil {
				return usage{err}
			}
			if err := os.MkdirAll(out, 0o755); err != nil {
				return err
			}
			report, end := o.reporter("handing over " + s.Name)
			defer end()
			j := handover.Job{Take: s, Now: s, Domain: domain, Settings: s.Handover, From: a, To: b, Dir: out, Name: name, Renders: renders, Look: lookID, Threads: o.threads}
			return j.Do(c.Context(), ca, report)
		}}
	f := c.Flags()
	f.StringVar(&span, "frames", "", "frames A-B (the shot's range where left out)")
	f.StringVar(&out, "out", "", "folder for the files")
	f.StringVar(&domain, "domain", "", "id of the domain (all, one after the other, where left out)")
	f.StringVar(&name, "name", "", "name of the files")
	f.StringVar(&renders, "renders", "", "folder of rendered pictures, for pictures and flipbooks")
	f.StringVar(&lookID, "look", "", "id of the look that they were rendered with")
	f.StringVar(&preset, "preset", "", "a set of values to begin with: "+strings.Join(presetKeys(), ", "))
	f.StringArrayVar(&sets, "set", nil, "a handover value as key=value, any number of times (zarf values handover lists them)")
	return c
}

func presetKeys() (out []string) {
	for _, p := range handover.Presets {
		out = append(out, p.Key)
	}
	return out
}

func setHandover(s *shot.Shot, kv string) error {
	k, _, ok := strings.Cut(kv, "=")
	e := shot.Find(shot.Handover, k)
	if !ok || e == nil {
		return usage{fmt.Errorf("--set is %q; give key=value with a key that zarf values handover lists", kv)}
	}
	set, err := edit.Assign("handover:." + kv)
	if err == nil {
		err = set.Apply(s)
	}
	if err != nil {
		return usage{fmt.Errorf("--set %s: %w", kv, err)}
	}
	return nil
}

func checkCommand(o *options) *cobra.Command {
	return &cobra.Command{Use: "check SHOT", Short: "Tell what is wrong with a shot before it is run", Args: exactly(1, "a shot"),
		RunE: func(c *cobra.Command, args []string) error {
			s, err := o.load(args[0])
			if err != nil {
				return err
			}
			found := check.Shot(s, check.Machine{Memory: studio.Memory()})
			if o.json {
				if found == nil {
					found = []check.Finding{}
				}
				if err := json.NewEncoder(os.Stdout).Encode(found); err != nil {
					return err
				}
			} else {
				for _, f := range found {
					fmt.Printf("%s: %s %s", f.Severity, f.What, f.Why)
					if f.Mend != nil {
						fmt.Printf(" Mend: %s.", f.Mend.Label)
					}
					fmt.Println()
				}
				if len(found) == 0 {
					fmt.Println("nothing found")
				}
			}
			if bad := check.Faults(found); len(bad) > 0 {
				return &studio.Refused{Findings: bad}
			}
			return nil
		}}
}

func inspectCommand(o *options) *cobra.Command {
	return &cobra.Command{Use: "inspect FILE", Short: "Tell what is in an OpenVDB file", Args: exactly(1, "a file"),
		RunE: func(c *cobra.Command, args []string) error {
			r, err := os.Open(args[0])
			if err != nil {
				return err
			}
			defer r.Close()
			f, err := vdb.Read(r, vdb.DefaultLimits)
			if err != nil {
				return fmt.Errorf("%s: %w", args[0], err)
			}
			infos := []frame.Info{}
			for _, g := range f.Grids {
				infos = append(infos, g.Inspect())
			}
			if o.json {
				return json.NewEncoder(os.Stdout).Encode(map[string]any{"format": "vdb", "version": f.Version, "meta": f.Meta, "grids": infos})
			}
			w := tabwriter.NewWriter(os.Stdout, 2, 2, 2, ' ', 0)
			fmt.Fprintf(w, "OpenVDB, file version %d, %d grids\n", f.Version, len(infos))
			for _, k := range sortedKeys(f.Meta) {
				fmt.Fprintf(w, "  %s\t%v\n", k, f.Meta[k])
			}
			for _, in := range infos {
				kind := in.Type
				if in.Half {
					kind += ", half"
				}
				fmt.Fprintf(w, "%s\t%s\t%d active voxels in %d leaves and %d tiles\n", in.Name, kind, in.Active, in.Leaves, in.Tiles)
				fmt.Fprintf(w, "  bounds\t%v to %v\tworld %.4g to %.4g\n", in.Min, in.Max, in.WorldMin, in.WorldMax)
				fmt.Fprintf(w, "  range\t%.5g to %.5g\tbackground %.5g\n", in.Low, in.High, in.Background)
				fmt.Fprintf(w, "  voxel\t%.5g\t%s at %.5g\n", in.VoxelSize, in.Map, in.Transform[3][:3])
				if in.NonFinite > 0 {
					fmt.Fprintf(w, "  warning\t%d values are not finite\n", in.NonFinite)
				}
				for _, k := range sortedKeys(in.Meta) {
					fmt.Fprintf(w, "  %s\t%v\n", k, in.Meta[k])
				}
			}
			return w.Flush()
		}}
}

func sortedKeys(m map[string]any) []string {
	var out []string
	for k := range m {
		out = append(out, k)
	}
	sort.Strings(out)
	return out
}

func shotsCommand(o *options) *cobra.Command {
	return &cobra.Command{Use: "shots", Short: "List the library", Args: exactly(0, "no arguments"),
		RunE: func(*cobra.Command, []string) error {
			st, err := o.library()
			if err != nil {
				return err
			}
			defer st.Close()
			rows, err := st.Shots()
			if err != nil {
				return err
			}
			if o.json {
				return json.NewEncoder(os.Stdout).Encode(rows)
			}
			for _, r := range rows {
				note := ""
				if r.Archived {
					note = "  (archived)"
				}
				fmt.Printf("%s  %s%s\n", r.Name, r.Title, note)
			}
			return nil
		}}
}

func exportCommand(o *options) *cobra.Command {
	return &cobra.Command{Use: "export SHOT", Short: "Print a shot file", Args: exactly(1, "a shot"),
		RunE: func(_ *cobra.Command, args []string) error {
			s, err := o.load(args[0])
			if err != nil {
				return err
			}
			_, err = os.Stdout.Write(s.Encode())
			return err
		}}
}

func importCommand(o *options) *cobra.Command {
	return &cobra.Command{Use: "import FILE", Short: "Put a shot file into the library", Args: exactly(1, "a shot file"),
		RunE: func(_ *cobra.Command, args []string) error {
			s, err := o.load(args[0])
			if err != nil {
				return err
			}
			if err := os.MkdirAll(o.data, 0o755); err != nil {
				return err
			}
			st, err := store.Open(filepath.Join(o.data, "zarf.db"))
			if err != nil {
				return err
			}
			defer st.Close()
			row, err := st.CreateShot(s, "import")
			if err == nil {
				fmt.Println(row.Slug)
			}
			return err
		}}
}

// valuesCommand prints the catalogue: the documentation of every value.
func valuesCommand(o *options) *cobra.Command {
	return &cobra.Command{Use: "values [KIND]", Short: "List every value with unit, default, range and what it does",
		RunE: func(_ *cobra.Command, args []string) error {
			var list []*shot.Entry
			for _, e := range shot.All() {
				if len(args) == 0 || string(e.Kind) == args[0] {
					list = append(list, e)
				}
			}
			if len(list) == 0 {
				return usage{fmt.Errorf("there is no kind %q", args[0])}
			}
			if o.json {
				return json.NewEncoder(os.Stdout).Encode(list)
			}
			w := tabwriter.NewWriter(os.Stdout, 2, 2, 2, ' ', 0)
			for _, e := range list {
				d := fmt.Sprint(e.JSON(e.Default))
				span := ""
				if e.Type == shot.Number || e.Type == shot.Integer || e.Type == shot.Vector {
					span = fmt.Sprintf("%g to %g", e.Min, e.Max)
				}
				fmt.Fprintf(w, "%s.%s\t%s %s\t%s\t%s\n", e.Kind, e.Key, d, e.Unit, span, e.Help)
			}
			return w.Flush()
		}}
}
