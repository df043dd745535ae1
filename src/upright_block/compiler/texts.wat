;; Texts: the length as an i32, then the characters; $width is 1 or 2 bytes a character.
(func $text_append (param $to i32) (param $from i32) (param $width i32) (param $first i64) (param $count i64)
  ;; Append at most $count characters of $from, from the one at $first (counting from 0) on.
  (local $length i64) (local $at i32)
  (local.set $length (i64.load32_u (local.get $from)))
  (if (i64.lt_s (local.get $first) (i64.const 0)) (then (local.set $first (i64.const 0))))
  (if (i64.gt_s (local.get $first) (local.get $length)) (then (local.set $first (local.get $length))))
  (local.set $length (i64.sub (local.get $length) (local.get $first)))
  (if (i64.gt_s (local.get $count) (local.get $length)) (then (local.set $count (local.get $length))))
  (if (i64.le_s (local.get $count) (i64.const 0)) (then return))
  (local.set $at (i32.load (local.get $to)))
  (memory.copy
    (i32.add (i32.add (local.get $to) (i32.const 4)) (i32.mul (local.get $at) (local.get $width)))
    (i32.add (i32.add (local.get $from) (i32.const 4)) (i32.mul (i32.wrap_i64 (local.get $first)) (local.get $width)))
    (i32.mul (i32.wrap_i64 (local.get $count)) (local.get $width)))
  (i32.store (local.get $to) (i32.add (local.get $at) (i32.wrap_i64 (local.get $count)))))
(func $text_store (param $to i32) (param $capacity i32) (param $from i32) (param $width i32)
  ;; Copy $from to $to, cut to $capacity characters.
  (local $length i32)
  (local.set $length (i32.load (local.get $from)))
  (if (i32.gt_u (local.get $length) (local.get $capacity)) (then (local.set $length (local.get $capacity))))
  (memory.copy
    (i32.add (local.get $to) (i32.const 4)) (i32.add (local.get $from) (i32.const 4))
    (i32.mul (local.get $length) (local.get $width)))
  (i32.store (local.get $to) (local.get $length)))
(func $text_unit (param $text i32) (param $index i32) (param $width i32) (result i32)
  ;; The character at $index, counting from 0.
  (local.set $text (i32.add (local.get $text) (i32.mul (local.get $index) (local.get $width))))
  (if (result i32) (i32.eq (local.get $width) (i32.const 1))
    (then (i32.load8_u offset=4 (local.get $text))) (else (i32.load16_u offset=4 (local.get $text)))))
(func $text_compare (param $a i32) (param $b i32) (param $width i32) (result i32)
  ;; Below 0, 0 or above 0; a text that the other one goes on from is less.
  (local $i i32) (local $shared i32) (local $difference i32)
  (local.set $shared
    (select (i32.load (local.get $a)) (i32.load (local.get $b))
      (i32.lt_u (i32.load (local.get $a)) (i32.load (local.get $b)))))
  block $done loop $next
  (br_if $done (i32.ge_u (local.get $i) (local.get $shared)))
  (local.set $difference (i32.sub
    (call $text_unit (local.get $a) (local.get $i) (local.get $width))
    (call $text_unit (local.get $b) (local.get $i) (local.get $width))))
  (if (local.get $difference) (then (return (local.get $difference))))
  (local.set $i (i32.add (local.get $i) (i32.const 1)))
  br $next end end
  (i32.sub (i32.load (local.get $a)) (i32.load (local.get $b))))
(func $text_find (param $in i32) (param $wanted i32) (param $width i32) (result i32)
  ;; Where $wanted first begins, counting from 1; 0 when it does not occur or is empty.
  (local $at i32) (local $i i32)
  (if (i32.eqz (i32.load (local.get $wanted))) (then (return (i32.const 0))))
  block $done loop $next_place
  (br_if $done (i32.gt_u (i32.add (local.get $at) (i32.load (local.get $wanted))) (i32.load (local.get $in))))
  (local.set $i (i32.const 0))
  block $differs loop $next
  (if (i32.eq (local.get $i) (i32.load (local.get $wanted))) (then (return (i32.add (local.get $at) (i32.const 1)))))
  (br_if $differs (i32.ne
    (call $text_unit (local.get $in) (i32.add (local.get $at) (local.get $i)) (local.get $width))
    (call $text_unit (local.get $wanted) (local.get $i) (local.get $width))))
  (local.set $i (i32.add (local.get $i) (i32.const 1)))
  br $next end end
  (local.set $at (i32.add (local.get $at) (i32.const 1)))
  br $next_place end end
  (i32.const 0))
(func $text_recode (param $to i32) (param $to_width i32) (param $from i32) (param $from_width i32)
  ;; Copy each character, from one width to the other; one beyond 255 becomes ? where there is room for a byte only.
  (local $i i32) (local $unit i32) (local $place i32)
  (i32.store (local.get $to) (i32.load (local.get $from)))
  block $done loop $next
  (br_if $done (i32.ge_u (local.get $i) (i32.load (local.get $from))))
  (local.set $unit (call $text_unit (local.get $from) (local.get $i) (local.get $from_width)))
  (local.set $place (i32.add (local.get $to) (i32.mul (local.get $i) (local.get $to_width))))
  (if (i32.eq (local.get $to_width) (i32.const 1))
    (then (i32.store8 offset=4 (local.get $place)
      (select (i32.const 63) (local.get $unit) (i32.gt_u (local.get $unit) (i32.const 255)))))
    (else (i32.store16 offset=4 (local.get $place) (local.get $unit))))
  (local.set $i (i32.add (local.get $i) (i32.const 1)))
  br $next end end)
