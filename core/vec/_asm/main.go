// Command _asm writes the kernels of package vec in assembly: each kernel is
// described once and laid down for AVX-512 (a block of 16 values is one
// register) and for AVX2 (two). It is a module of its own, so that nobody needs
// the generator to build the program; `make generate` runs it.
package main

import (
	"flag"
	"fmt"
	"os"
	"regexp"
	"strings"

	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// A block is 16 values, whatever the registers: sums keep 16 lanes in every
// set, which is what makes their bits equal.
const block = 64 // bytes

// set is an instruction set that kernels are laid down for.
type set struct {
	name  string
	parts int // registers a block
	wide  int // bytes a register
}

func (s set) vec() reg.VecVirtual {
	if s.parts == 1 {
		return ZMM()
	}
	return YMM()
}

func (s set) zero() reg.VecVirtual {
	v := s.vec()
	if s.parts == 1 {
		VPXORD(v, v, v)
	} else {
		VXORPS(v, v, v)
	}
	return v
}

func main() {
	ConstraintExpr("amd64")
	for _, s := range []set{{"AVX512", 1, 64}, {"AVX2", 2, 32}} {
		for _, weighted := range []bool{false, true} {
			s.jacobi(weighted)
			s.apply(weighted)
		}
		s.axpy()
		s.xpay()
		s.scale()
		s.residual()
		s.dot()
		s.spread()
		s.blend(false)
		s.blend(true)
		s.follow()
		s.limit()
		s.largest()
		s.outside()
		s.sample(false)
		s.sample(true)
	}
	Generate()
	if err := others(); err != nil {
		panic(err)
	}
}

// others writes the kernels of machines without these sets: none is ever chosen.
func others() error {
	b, err := os.ReadFile(flag.Lookup("stubs").Value.String())
	if err != nil {
		return err
	}
	text := string(b)
	text = strings.Replace(text, "//go:build amd64", "//go:build !amd64", 1)
	text = regexp.MustCompile(`(?m)^(//|//go:noescape|// \w+(AVX512|AVX2) is .*)\n`).ReplaceAllString(text, "")
	text = regexp.MustCompile(`(?m)^func .*\)( bool)?$`).ReplaceAllString(text, "$0 { panic(missing) }\n")
	return os.WriteFile("../kernels_other.go", []byte(text), 0o644)
}

func (s set) text(name, signature, doc string) {
	TEXT(name+s.name, NOSPLIT, "func("+signature)
	Doc(fmt.Sprintf("%s%s is %s", name, s.name, doc))
	Pragma("noescape")
}

func ptr(name string) reg.GPVirtual { return Load(Param(name), GP64()).(reg.GPVirtual) }

// bytes loads a count of values and makes it bytes.
func bytes(name string) reg.GPVirtual {
	n := ptr(name)
	SHLQ(Imm(2), n)
	return n
}

// broadcast puts one argument into all lanes.
func (s set) broadcast(name string) reg.VecVirtual {
	v := s.vec()
	m, err := Param(name).Resolve()
	if err != nil {
		panic(err)
	}
	VBROADCASTSS(m.Addr, v)
	return v
}

// constant is a float32 in all lanes.
func (s set) constant(v float32) reg.VecVirtual {
	r := s.vec()
	VBROADCASTSS(float(v), r)
	return r
}

var floats = map[float32]Mem{}

func float(v float32) Mem {
	m, there := floats[v]
	if !there {
		m = ConstData(fmt.Sprintf("float%d", len(floats)), U32(f32bits(v))) // F32(16) would be written as an integer
		floats[v] = m
	}
	return m
}

func table(name string, values [16]uint32) Mem {
	m := GLOBL(name, RODATA|NOPTR)
	for i, v := range values {
		DATA(4*i, U32(v))
	}
	return m
}

func at(base reg.Register, off int) Mem { return Mem{Base: base, Disp: off} }

func idx(base, index reg.Register, off int) Mem {
	return Mem{Base: base, Index: index, Scale: 1, Disp: off}
}

// blocks walks rows of a whole number of blocks: i counts bytes, off is the
// part's offset within a block.
func (s set) blocks(name string, n reg.GPVirtual, body func(i reg.GPVirtual, off int), step func()) {
	i := GP64()
	XORQ(i, i)
	JMP(LabelRef(name + "test"))
	Label(name + "loop")
	for p := range s.parts {
		body(i, p*s.wide)
	}
	ADDQ(Imm(block), i)
	if step != nil {
		step()
	}
	Label(name + "test")
	CMPQ(i, n)
	JLT(LabelRef(name + "loop"))
}

// mask chooses the lanes of a part that a shorter last block holds; nil means all.
type mask struct {
	k reg.OpmaskVirtual // AVX-512
	y reg.VecVirtual    // AVX2
}

func (s set) load(m Mem, only *mask) reg.VecVirtual {
	v := s.vec()
	switch {
	case only == nil:
		VMOVUPS(m, v)
	case s.parts == 1:
		VMOVUPS_Z(m, only.k, v)
	default:
		VMASKMOVPS(m, only.y, v)
	}
	return v
}

func (s set) store(v reg.VecVirtual, m Mem, only *mask) {
	switch {
	case only == nil:
		VMOVUPS(v, m)
	case s.parts == 1:
		VMOVUPS(v, only.k, m)
	default:
		VMASKMOVPS(v, only.y, m)
	}
}

// ragged walks rows of any number of values: whole blocks, then what is left
// under a mask.
func (s set) ragged(n reg.GPVirtual, body func(i reg.GPVirtual, off int, only *mask), step func()) {
	i, whole, left := GP64(), GP64(), GP64()
	XORQ(i, i)
	MOVQ(n, whole)
	ANDQ(Imm(0xfffffff0), whole)
	MOVQ(n, left)
	SUBQ(whole, left)
	SHLQ(Imm(2), whole)
	JMP(LabelRef("test"))
	Label("loop")
	for p := range s.parts {
		body(i, p*s.wide, nil)
	}
	ADDQ(Imm(block), i)
	if step != nil {
		step()
	}
	Label("test")
	CMPQ(i, whole)
	JLT(LabelRef("loop"))
	TESTQ(left, left)
	JE(LabelRef("done"))
	for p := range s.parts {
		only := &mask{}
		if s.parts == 1 {
			ones := GP32()
			MOVL(U32(0xffff), ones)
			BZHIL(left.As32(), ones, ones)
			only.k = K()
			KMOVW(ones, only.k)
		} else {
			x, y := XMM(), YMM()
			VMOVD(left.As32(), x)
			VPBROADCASTD(x, y)
			lanes := s.vec()
			VMOVDQU(lane.Offset(p*s.wide), lanes)
			only.y = YMM()
			VPCMPGTD(lanes, y, only.y)
		}
		body(i, p*s.wide, only)
	}
	Label("done")
}

var lane, iota16 Mem

func init() {
	var n, f [16]uint32
	for i := range n {
		n[i] = uint32(i)
		f[i] = f32bits(float32(i))
	}
	lane, iota16 = table("lane", n), table("iota", f)
}

func leave() {
	VZEROUPPER()
	RET()
}
