package measure
import ("testing";"os";"fmt";"runtime/pprof";"time";"zarf/core/grid";"zarf/core/liquid";"zarf/core/recipe";"zarf/core/shot";"zarf/core/shot/val";"zarf/core/stage")
func TestZZPour(t *testing.T){
 r,_:=recipe.Find("pour"); s:=r.Shot("P",r.Size); val.Last.Set(s.Self,500)
 d:=s.Of(shot.Domain)[0]; val.Voxel.Set(d,val.Voxel.Of(d)/2); v:=stage.CoarseVoxel(d,40000); val.Voxel.Set(d,v)
 if os.Getenv("THIN")!="" { val.Wall.Set(s.Of(shot.Collider)[0], 0.15*v) }
 c,_:=stage.Coarse(s,"",v)
 l,err:=liquid.NewStage(c,"",grid.NewCrew(2)); if err!=nil {t.Fatal(err)}
 steps:=0; var t0 time.Time
 for l.Next()<=60 { if l.Next()==17 { o,_:=os.Create("/tmp/q/pour.prof"); pprof.StartCPUProfile(o); t0=time.Now(); steps=0 }
  _,st,err:=l.Advance(nil); if err!=nil {t.Fatal(err)}; steps+=st.Substeps }
 pprof.StopCPUProfile()
 fmt.Printf("%d particles %.2f ms a substep, %.1f frames/s\n",len(l.Solver.P),time.Since(t0).Seconds()*1e3/float64(steps), 44/time.Since(t0).Seconds())
}
