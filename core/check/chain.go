package check

import (
	"fmt"

	"zarf/core/shot"
	"zarf/core/shot/val"
)

// fed lists the emitters that another domain's fluid feeds.
func (s *Scene) fed() (out []*shot.Element) {
	for _, e := range s.Emitters {
		if val.From.Of(e) == "fluid" {
			out = append(out, e)
		}
	}
	return out
}

// feedMissing finds domains that are to be fed by one that is gone or muted: they
// would run on nothing.
func feedMissing(s *Scene) (out []Finding) {
	for _, e := range s.fed() {
		if s.Source(e) != nil {
			continue
		}
		f := Finding{Severity: Fault, Element: e.ID, What: e.Name + " is fed by no domain.", Why: "It emits where another domain's fluid is, and none is named that isn't muted."}
		for _, d := range s.Domains {
			if !e.Acts(d) || len(s.Domains) == 2 && len(e.ActsOn) == 1 && e.ActsOn[0] != d.ID {
				f.Mend = &Mend{Label: "Feed it from " + d.Name, Element: e.ID, Key: val.FedBy.Name(), Value: shot.Text(d.ID)}
				break
			}
		}
		out = append(out, f)
	}
	return out
}

// sequenceEmpty finds sequences without files.
func sequenceEmpty(s *Scene) (out []Finding) {
	for _, e := range s.Of(shot.Sequence) {
		if val.Frames.Of(e) == "" {
			out = append(out, Finding{Severity: Warning, Element: e.ID, What: e.Name + " holds no frames.", Why: "Bring in the VDB files of a sequence on its sheet."})
		}
	}
	return out
}

// feedRing finds domains that feed each other in a circle: none could be run
// first.
// The nearest reason is named: an emitter that acts on what feeds it.
func feedRing(s *Scene) []Finding {
	_, err := s.Order()
	if err == nil {
		return nil
	}
	f := Finding{Severity: Fault, What: "Domains " + err.Error() + ".", Why: "None of them could be run first."}
	for _, e := range s.fed() {
		if src := s.Source(e); src != nil && src.Kind == shot.Domain && e.Acts(src) {
			f.Element = e.ID
			f.What = fmt.Sprintf("%s is fed by %s and acts on it too.", e.Name, src.Name)
			f.Why = "A domain can't feed itself: let the emitter act on another one only."
		}
	}
	return []Finding{f}
}

// feedStill finds emitters that take along the velocity of a domain which doesn't
// keep it.
func feedStill(s *Scene) (out []Finding) {
	for _, e := range s.fed() {
		if src := s.Source(e); src != nil && val.Inherit.Of(e) != 0 && src.Kind == shot.Domain && !val.CacheVelocity.Of(src) {
			out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s keeps no velocity for %s to take along.", src.Name, e.Name), Why: "What it emits stands still at first.",
				Mend: &Mend{Label: "Keep velocity", Element: src.ID, Key: val.CacheVelocity.Name(), Value: shot.On(true)}})
		}
	}
	return out
}
