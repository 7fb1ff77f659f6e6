package stage

// Checks that need what solvers have registered: memory, channels, what takes which
// kind.

import (
	"fmt"
	"math"

	"zarf/core/check"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

func init() {
	check.Register(check.Check{ID: "memory", Find: tooLarge})
	check.Register(check.Check{ID: "feed-channel", Find: feedChannel})
	check.Register(check.Check{ID: "force-unfelt", Find: takenByNone})
}

// tooLarge finds domains that this machine has no memory for.
// Four fifths of the machine's memory are counted on: pages, pictures and the system
// need the rest.
func tooLarge(s *check.Scene) (out []check.Finding) {
	for _, d := range s.Domains {
		need, room := Memory(d), s.Memory*0.8
		if room <= 0 || need <= room {
			continue
		}
		// Memory goes with the number of voxels, the cube of one over the size; the
		// rest is a margin for what does not.
		h := val.Voxel.Of(d) * math.Cbrt(need/room) * 1.02
		h = math.Ceil(h*1e4) / 1e4
		out = append(out, check.Finding{Severity: check.Fault, Element: d.ID,
			What: fmt.Sprintf("%s would take %.1f GB of memory; this machine has %.1f GB for it.", d.Name, need/1e9, room/1e9),
			Why:  fmt.Sprintf("The smallest voxel that fits is %s m.", shot.Short(h)),
			Mend: check.Set(fmt.Sprintf("Set the voxel size to %s m", shot.Short(h)), d, val.Voxel.Is(h))})
	}
	return out
}

// takenByNone finds elements that act on domains of which none takes their kind.
// An element that acts on several domains is well as long as one of them feels it.
func takenByNone(s *check.Scene) (out []check.Finding) {
	for _, e := range s.Elements {
		// Kinds that act on nothing can't be left alone; a collider is seen in the
		// picture even where nothing feels it.
		if e.Muted || binds[e.Kind] == nil || e.Kind == shot.Collider {
			continue
		}
		var deaf []string
		taken := false
		for _, d := range s.Domains {
			if e.Acts(d) {
				taken = taken || Of(d).Takes(e.Kind)
				// The words of those that were asked, for the message.
				deaf = append(deaf, d.Fluid().Word)
			}
		}
		if taken || len(deaf) == 0 {
			continue
		}
		out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("%s does nothing: it acts on %s only.", e.Name, shot.List(unique(deaf))), Why: "What it acts on doesn't feel an element of its kind."})
	}
	return out
}

func unique(list []string) (out []string) {
	seen := map[string]bool{}
	for _, w := range list {
		if !seen[w] {
			seen[w] = true
			out = append(out, w)
		}
	}
	return out
}

// feedChannel finds emitters that are fed by a channel which their source
// doesn't make or keep.
// Offered is a channel that the source makes and keeps.
func feedChannel(s *check.Scene) (out []check.Finding) {
	for _, e := range s.Emitters {
		src := s.Source(e)
		if val.From.Of(e) != "fluid" || src == nil || src.Kind != shot.Domain {
			continue
		}
		where := val.FedWhere.Of(e)
		c := ChannelOf(src, where)
		entry := shot.Find(shot.Emitter, val.FedWhere.Name())
		f := check.Finding{Severity: check.Fault, Element: e.ID, Why: "There is no such channel in its frames."}
		switch {
		// The first channel that is kept and can feed is offered.
		case c == nil:
			f.What = fmt.Sprintf("%s is fed by %s, which %s doesn't have.", e.Name, entry.Words(where), src.Name)
			for _, c := range Channels(src) {
				if c.Kept && entry.Words(c.Name) != c.Name { // one that can feed
					f.Mend = check.Set("Feed it by "+entry.Words(c.Name), e, val.FedWhere.Is(c.Name))
					break
				}
			}
		case !c.Kept:
			f.What = fmt.Sprintf("%s is fed by what %s doesn't keep in its cache.", e.Name, src.Name)
			if c.Keep != "" {
				f.Mend = check.Set(shot.Find(shot.Domain, c.Keep.Name()).Label, src, c.Keep.Is(true))
			}
		default:
			continue
		}
		out = append(out, f)
	}
	return out
}
