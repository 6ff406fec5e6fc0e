;; The recogniser's loop over the text: UTF-16 code units in one memory, events out where something may
;; begin. scan-wasm.ts holds this file assembled: node scripts/assemble.mjs
;;
;; Places are in bytes within, in code units without. Memory, in bytes:
;;        0  class by code unit: 0 none, 1 digit, 2 capital, 3 other letter, 4 dash, 5 at sign, 6 plus
;;    65536  1 for what may stand between the groups of one value, by code unit
;;   131072  by three letters: 1 where words that begin so are of interest, 2 where they are links of a chain
;;   163840  shapes: first number, 32768 x i32; 294912: second number; 425984: list, 0 where free
;;   557056  events: kind, and three numbers, 4096 of them
;;   622592  state: next place, links of the chain so far, where it begins
;;   622656  the text
(module
  (import "scan" "memory" (memory 0))

  ;; writes one event; gives the address of the next
  (func $emit (param $at i32) (param $kind i32) (param $a i32) (param $b i32) (param $c i32) (result i32)
    (i32.store offset=557056 (local.get $at) (local.get $kind))
    (i32.store offset=557060 (local.get $at) (local.get $a))
    (i32.store offset=557064 (local.get $at) (local.get $b))
    (i32.store offset=557068 (local.get $at) (local.get $c))
    (i32.add (local.get $at) (i32.const 16)))

  ;; the shape of what stands at a place: an event where types have it (4) or it is not known yet (5)
  (func $shape (param $out i32) (param $i i32) (param $len i32) (result i32)
    (local $one i32) (local $two i32) (local $k i32) (local $most i32) (local $code i32) (local $unit i32)
    (local $joint i32) (local $end i32) (local $joins i32) (local $list i32)
    (local.set $one (i32.const 7))
    (local.set $two (i32.const 11))
    (local.set $k (local.get $i))
    (local.set $most (i32.add (local.get $i) (i32.const 48)))
    (if (i32.gt_s (local.get $most) (local.get $len)) (then (local.set $most (local.get $len))))
    (block $done
      (loop $next
        (br_if $done (i32.ge_s (local.get $k) (local.get $most)))
        (br_if $done (local.get $end))
        (local.set $code (i32.load16_u offset=622656 (local.get $k)))
        (local.set $unit (i32.load8_u (local.get $code)))
        (if (i32.gt_u (i32.sub (local.get $unit) (i32.const 1)) (i32.const 2))
          (then
            (local.set $unit (select (local.get $code) (i32.const 4) (i32.gt_u (local.get $code) (i32.const 4))))
            (if (i32.eq (local.get $code) (i32.const 60))
              (then (local.set $joint (i32.const 0)))
              (else
                (local.set $joins (i32.load8_u offset=65536 (local.get $code)))
                (local.set $end (i32.or (local.get $joint) (i32.eqz (local.get $joins))))
                (local.set $joint (i32.const 1))
                (if (i32.eqz (local.get $joins)) (then (local.set $unit (i32.const 32)))))))
          (else
            (if (i32.and (i32.ne (local.get $unit) (i32.const 1)) (local.get $joint))
              (then (local.set $end (i32.eq (i32.load16_u offset=622654 (local.get $k)) (i32.const 32)))))
            (local.set $joint (i32.const 0))))
        (local.set $one (i32.mul (i32.xor (local.get $one) (local.get $unit)) (i32.const 0x01000193)))
        (local.set $two
          (i32.xor
            (i32.mul (i32.add (local.get $two) (local.get $unit)) (i32.const 0x2c1b3c6d))
            (i32.shr_u (local.get $two) (i32.const 15))))
        (local.set $k (i32.add (local.get $k) (i32.const 2)))
        (br $next)))
    (local.set $one (i32.xor (local.get $one) (i32.shr_u (local.get $one) (i32.const 15))))
    ;; $end serves as the place in the table from here on
    (local.set $end (i32.shl (i32.and (local.get $one) (i32.const 32767)) (i32.const 2)))
    (block $unknown
      (loop $probe
        (local.set $list (i32.load offset=425984 (local.get $end)))
        (br_if $unknown (i32.eqz (local.get $list)))
        (if (i32.and
              (i32.eq (i32.load offset=163840 (local.get $end)) (local.get $one))
              (i32.eq (i32.load offset=294912 (local.get $end)) (local.get $two)))
          (then
            ;; list 1: no type has this shape
            (if (i32.eq (local.get $list) (i32.const 1)) (then (return (local.get $out))))
            (return (call $emit (local.get $out) (i32.const 4) (i32.shr_s (local.get $i) (i32.const 1)) (local.get $list) (i32.const 0)))))
        (local.set $end (i32.and (i32.add (local.get $end) (i32.const 4)) (i32.const 131071)))
        (br $probe)))
    (call $emit (local.get $out) (i32.const 5) (i32.shr_s (local.get $i) (i32.const 1)) (local.get $one) (local.get $two)))

  ;; One bit for each of sixteen units from a place, by class: words' units, and from bit 16 on digits;
  ;; in the second number capitals, and signs from bit 16 on. A block that is not ASCII goes unit by unit.
  (func $masks (param $i i32) (result i32 i32)
    (local $a v128) (local $b v128) (local $digits i32) (local $capitals i32) (local $words i32) (local $signs i32)
    (local $k i32) (local $of i32)
    (local.set $a (v128.load offset=622656 (local.get $i)))
    (local.set $b (v128.load offset=622672 (local.get $i)))
    (if (v128.any_true (v128.and (v128.or (local.get $a) (local.get $b)) (i16x8.splat (i32.const 0xff80))))
      (then
        (loop $next
          (local.set $of
            (i32.load8_u (i32.load16_u offset=622656 (i32.add (local.get $i) (i32.shl (local.get $k) (i32.const 1))))))
          (local.set $words
            (i32.or (local.get $words)
              (i32.shl (i32.le_u (i32.sub (local.get $of) (i32.const 1)) (i32.const 2)) (local.get $k))))
          (local.set $digits
            (i32.or (local.get $digits) (i32.shl (i32.eq (local.get $of) (i32.const 1)) (local.get $k))))
          (local.set $capitals
            (i32.or (local.get $capitals) (i32.shl (i32.eq (local.get $of) (i32.const 2)) (local.get $k))))
          (local.set $signs
            (i32.or (local.get $signs) (i32.shl (i32.gt_u (local.get $of) (i32.const 3)) (local.get $k))))
          (local.set $k (i32.add (local.get $k) (i32.const 1)))
          (br_if $next (i32.lt_u (local.get $k) (i32.const 16)))))
      (else
        (local.set $a (i8x16.narrow_i16x8_u (local.get $a) (local.get $b)))
        (local.set $digits
          (i8x16.bitmask (i8x16.lt_u (i8x16.sub (local.get $a) (i8x16.splat (i32.const 48))) (i8x16.splat (i32.const 10)))))
        (local.set $capitals
          (i8x16.bitmask (i8x16.lt_u (i8x16.sub (local.get $a) (i8x16.splat (i32.const 65))) (i8x16.splat (i32.const 26)))))
        (local.set $words
          (i32.or
            (i32.or (local.get $digits) (local.get $capitals))
            (i8x16.bitmask (i8x16.lt_u (i8x16.sub (local.get $a) (i8x16.splat (i32.const 97))) (i8x16.splat (i32.const 26))))))
        (local.set $signs
          (i8x16.bitmask
            (v128.or
              (i8x16.eq (local.get $a) (i8x16.splat (i32.const 45)))
              (v128.or
                (i8x16.eq (local.get $a) (i8x16.splat (i32.const 64)))
                (i8x16.eq (local.get $a) (i8x16.splat (i32.const 43)))))))))
    (i32.or (local.get $words) (i32.shl (local.get $digits) (i32.const 16)))
    (i32.or (local.get $capitals) (i32.shl (local.get $signs) (i32.const 16))))

  ;; Goes on from the state's place, which is in no word that began before, to $end, of a text of $len.
  ;; Gives how many events it wrote; stops before there is no room for more.
  (func (export "scan") (param $end i32) (param $len i32) (result i32)
    (local $i i32) (local $block i32) (local $c i32) (local $of i32) (local $out i32) (local $flags i32)
    (local $links i32) (local $from i32) (local $one i32) (local $two i32) (local $left i32) (local $carry i32) (local $bit i32)
    (local.set $block (i32.shl (i32.load (i32.const 622592)) (i32.const 1)))
    (local.set $links (i32.load (i32.const 622596)))
    (local.set $from (i32.shl (i32.load (i32.const 622600)) (i32.const 1)))
    (local.set $end (i32.shl (local.get $end) (i32.const 1)))
    (local.set $len (i32.shl (local.get $len) (i32.const 1)))
    (block $done
      (loop $blocks
        (br_if $done (i32.ge_s (local.get $block) (local.get $end)))
        (call $masks (local.get $block))
        (local.set $two)
        (local.set $one)
        ;; where words begin, and signs, before the end
        (local.set $left
          (i32.or
            (i32.and
              (i32.and (local.get $one) (i32.const 0xffff))
              (i32.xor
                (i32.or (i32.shl (local.get $one) (i32.const 1)) (local.get $carry))
                (i32.const -1)))
            (i32.shr_u (local.get $two) (i32.const 16))))
        (if (i32.lt_s (i32.sub (local.get $end) (local.get $block)) (i32.const 32))
          (then
            (local.set $left
              (i32.and (local.get $left)
                (i32.sub
                  (i32.shl (i32.const 1) (i32.shr_u (i32.sub (local.get $end) (local.get $block)) (i32.const 1)))
                  (i32.const 1))))))
        (local.set $carry (i32.and (i32.shr_u (local.get $one) (i32.const 15)) (i32.const 1)))
        (block $none
          (loop $next
            (br_if $none (i32.eqz (local.get $left)))
            (local.set $bit (i32.ctz (local.get $left)))
            (local.set $i (i32.add (local.get $block) (i32.shl (local.get $bit) (i32.const 1))))
            (if (i32.gt_u (local.get $out) (i32.const 65440))
              (then
                ;; no room: on from here the next time
                (local.set $block (local.get $i))
                (br $done)))
            (local.set $left (i32.and (local.get $left) (i32.sub (local.get $left) (i32.const 1))))
            (if (i32.and (i32.shr_u (local.get $two) (i32.add (local.get $bit) (i32.const 16))) (i32.const 1))
              (then
                (local.set $of (i32.load8_u (i32.load16_u offset=622656 (local.get $i))))
                (if (i32.eq (local.get $of) (i32.const 4))
                  (then
                    ;; the first of some dashes
                    (if (i32.and
                          (i32.or (i32.eqz (local.get $i)) (i32.ne (i32.load16_u offset=622654 (local.get $i)) (i32.const 45)))
                          (i32.eq (i32.load16_u offset=622658 (local.get $i)) (i32.const 45)))
                      (then (local.set $out (call $emit (local.get $out) (i32.const 0) (i32.shr_s (local.get $i) (i32.const 1)) (i32.const 0) (i32.const 0))))))
                  (else
                    (local.set $out
                      (call $emit (local.get $out) (i32.sub (local.get $of) (i32.const 4)) (i32.shr_s (local.get $i) (i32.const 1)) (i32.const 0) (i32.const 0)))))
                (br $next)))
            (local.set $flags (i32.const 0))
            (if (i32.and (i32.shr_u (local.get $one) (i32.add (local.get $bit) (i32.const 16))) (i32.const 1))
              (then (local.set $out (call $shape (local.get $out) (local.get $i) (local.get $len))))
              (else
                ;; words of interest by their first three letters
                (local.set $c (i32.load16_u offset=622656 (local.get $i)))
                (local.set $flags
                  (i32.load8_u offset=131072
                    (i32.or
                      (i32.or
                        (i32.shl (i32.and (local.get $c) (i32.const 31)) (i32.const 10))
                        (i32.shl (i32.and (i32.load16_u offset=622658 (local.get $i)) (i32.const 31)) (i32.const 5)))
                      (i32.and (i32.load16_u offset=622660 (local.get $i)) (i32.const 31)))))
                (if (i32.or (i32.and (local.get $flags) (i32.const 1)) (i32.gt_u (local.get $c) (i32.const 191)))
                  (then (local.set $out (call $emit (local.get $out) (i32.const 3) (i32.shr_s (local.get $i) (i32.const 1)) (i32.const 0) (i32.const 0)))))
                (if (i32.and (i32.shr_u (local.get $two) (local.get $bit)) (i32.const 1))
                  (then
                    (local.set $flags (i32.const 0))
                    (local.set $out (call $shape (local.get $out) (local.get $i) (local.get $len))))
                  (else
                    ;; a shape may begin with small letters where the third is a digit
                    (if (i32.eq (i32.load8_u (i32.load16_u offset=622660 (local.get $i))) (i32.const 1))
                      (then
                        (if (i32.and
                              (i32.le_u (i32.sub (i32.load8_u (i32.load16_u offset=622658 (local.get $i))) (i32.const 2)) (i32.const 1))
                              (i32.le_u (i32.sub (i32.load8_u (i32.load16_u offset=622662 (local.get $i))) (i32.const 1)) (i32.const 2)))
                          (then (local.set $out (call $shape (local.get $out) (local.get $i) (local.get $len)))))))))))
            ;; links of a chain, one after another
            (local.set $flags (i32.shr_u (local.get $flags) (i32.const 1)))
            (if (i32.and (i32.gt_s (local.get $links) (i32.const 11)) (i32.eqz (local.get $flags)))
              (then (local.set $out (call $emit (local.get $out) (i32.const 6) (i32.shr_s (local.get $from) (i32.const 1)) (i32.shr_s (local.get $i) (i32.const 1)) (local.get $links)))))
            (local.set $links (i32.and (i32.add (local.get $links) (i32.const 1)) (i32.sub (i32.const 0) (local.get $flags))))
            (local.set $from (select (local.get $i) (local.get $from) (i32.eq (local.get $links) (i32.const 1))))
            (br $next)))
        (local.set $block (i32.add (local.get $block) (i32.const 32)))
        (br $blocks)))
    (i32.store (i32.const 622592)
      (i32.shr_s (select (local.get $block) (local.get $end) (i32.lt_s (local.get $block) (local.get $end))) (i32.const 1)))
    (i32.store (i32.const 622596) (local.get $links))
    (i32.store (i32.const 622600) (i32.shr_s (local.get $from) (i32.const 1)))
    (i32.shr_u (local.get $out) (i32.const 4))))
