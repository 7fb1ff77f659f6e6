package measure
import ("testing";"os";"fmt";"runtime/pprof";"time";"zarf/core/grid";"zarf/core/geom";"zarf/core/liquid")
func TestZZLiq(t *testing.T){
 crew:=grid.NewCrew(2)
 s := tank(64, 64, 64, 1.0/64, [6]bool{}, crew)
 in := liquid.Inputs{Physics: water, Emitters: []liquid.Emitter{bodyOf(geom.V(0, 0, 0), geom.V(0.5, 1, 1))}}
 in.Physics.Affine, in.Physics.Tolerance = os.Getenv("APIC")!="", 1e-3
 flows(s,1,1.0/240,1e3,in,nil)
 o,_:=os.Create("/tmp/q/liq.prof"); pprof.StartCPUProfile(o)
 b:=1e9
 for range 10 { t0:=time.Now(); flows(s,1,1.0/240,1e3,in,func(f int,st liquid.FrameStats){fmt.Print(st.Iterations," ")}); b=min(b,time.Since(t0).Seconds()) }
 fmt.Printf("\nbig %.1f ms best, transfers %.1f\n",b*1e3, best(3, func() { s.Transfers(false) }))
 pprof.StopCPUProfile(); o.Close()
 // small: a column of 18 k particles falls in 83 k voxels
 s = tank(44,44,43, 1.0/44, [6]bool{}, crew)
 in.Emitters=[]liquid.Emitter{bodyOf(geom.V(0.3, 0, 0.3), geom.V(0.6, 0.3, 0.6))}
 flows(s,1,1.0/240,1e3,in,nil)
 o,_=os.Create("/tmp/q/small.prof"); pprof.StartCPUProfile(o)
 b=1e9; sum:=0.0
 for range 60 { t0:=time.Now(); flows(s,1,1.0/240,1e3,in,nil); d:=time.Since(t0).Seconds(); sum+=d; b=min(b,d) }
 pprof.StopCPUProfile(); o.Close()
 fmt.Printf("small %d particles %.2f ms best %.2f mean\n",len(s.P),b*1e3,sum/60*1e3)
}
