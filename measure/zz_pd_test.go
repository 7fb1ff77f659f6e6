package measure
import ("testing";"os";"fmt";"runtime/pprof";"zarf/core/grid";"zarf/core/recipe";"zarf/core/shot";"zarf/core/shot/val";"zarf/core/stage")
func TestZZPD(t *testing.T){
 r,_:=recipe.Find("pour"); s:=r.Shot("P",r.Size); val.Last.Set(s.Self,500)
 d:=s.Of(shot.Domain)[0]; val.Voxel.Set(d,val.Voxel.Of(d)/2); v:=stage.CoarseVoxel(d,40000)
 if os.Getenv("THIN")!="" { val.Wall.Set(s.Of(shot.Collider)[0], 0.36*v) }
 tb:=&Table{}; tb.crew=grid.NewCrew(2)
 o,_:=os.Create("/tmp/q/pd.prof"); pprof.StartCPUProfile(o)
 if err:=draftOf(tb,"pour",s,v,0,24); err!=nil {t.Fatal(err)}
 pprof.StopCPUProfile()
 for _,r:=range tb.Rows { fmt.Println(r.Case,r.Measured,r.Unit) }
}
