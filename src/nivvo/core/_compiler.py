"""How Numba compiles the core: what its kernels reach, in fewer passes, with bundles of arrays passed as one pointer.

Imported when a kernel is first compiled or taken from the store; nothing else imports Numba.
"""

from __future__ import annotations

import collections
import contextlib
import functools
import gc
import threading
import types
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numba
import numpy as np
from llvmlite import ir
from llvmlite.binding.newpassmanagers import create_new_function_pass_manager
from numba.core import (
    base,
    caching,
    callconv,
    cgutils,
    codegen,
    compiler,
    errors,
    event,
    lowering,
    postproc,
    ssa,
    transforms,
    typed_passes,
    typeinfer,
    typing,
    untyped_passes,
)
from numba.core import ir as numba_ir
from numba.core.analysis import compute_use_defs
from numba.core.base import BaseContext
from numba.core.compiler_lock import global_compiler_lock
from numba.core.compiler_machinery import PassManager, register_pass
from numba.core.cpu import CPUContext
from numba.core.types.functions import BaseFunction
from numba.core.typing.templates import AttributeTemplate
from numba.cpython import slicing
from numba.extending import (
    NativeValue,
    infer_getattr,
    lower_getattr_generic,
    models,
    register_model,
    typeof_impl,
    unbox,
)
from numba.np import arrayobj

SLOT = ir.IntType(8).as_pointer()

_one_at_a_time = threading.Lock()

# Compiled twins: what two kernels reach is compiled once.
_twins: dict[Callable, Any] = {}


class Once(lowering.Lower):
    """What is assigned once is a value wherever it is used; only what is assigned anew has a place on the stack.

    Numba does so within a block alone; elsewhere it writes and reads, and forgets what nobody counts. Each use of what
    is assigned once comes after it (``ReconstructSSA``), if its block does not come before, which is lowered first.
    """

    def _find_singly_assigned_variable(self) -> None:
        assigned = collections.Counter(
            one.target.name for block in self.blocks.values() for one in block.find_insts(numba_ir.Assign)
        )
        found = compute_use_defs(self.blocks)
        first = {name: label for label, names in found.defmap.items() for name in names if assigned[name] == 1}
        early = {name for label, names in found.usemap.items() for name in names if label <= first.get(name, label)}
        self._singly_assigned_vars = set(first) - early
        self._blk_local_varmap = {}

    def storevar(self, value: Any, name: str, argidx: int | None = None) -> None:
        """Keep the value of a variable."""
        if name in self._singly_assigned_vars:
            self._blk_local_varmap[name] = value
        else:
            self._alloca_var(name, self.typeof(name))
            self.builder.store(value, self.getvar(name))

    def delvar(self, name: str) -> None:
        """Nothing is counted, so nothing is to be given back."""


@register_pass(mutates_CFG=True, analysis_only=False)
class Lowered(typed_passes.NativeLowering):
    """Lowering of the core's functions."""

    _name = "lowered"

    @property
    def lowering_class(self) -> type:
        """By what it is done."""
        return Once


class Passes(PassManager):
    """Passes run one after the other, and nothing else: Numba's own times, describes and checks each."""

    def _runPass(self, index: int, pss: Any, internal_state: Any) -> None:  # noqa: N802
        pss.analysis = self._analysis
        for step in (pss.run_initialization, pss.run_pass, pss.run_finalizer):
            step(internal_state)


class Core(compiler.CompilerBase):
    """The passes that plain loops over numbers and records need; Numba's own list costs a fifth more."""

    def define_pipelines(self) -> list[PassManager]:
        """One list of passes, in order."""
        passes = Passes("core")
        for one in (
            compiler.TranslateByteCode,
            compiler.FixupArgs,
            compiler.IRProcessing,
            untyped_passes.RewriteSemanticConstants,
            untyped_passes.DeadBranchPrune,
            untyped_passes.GenericRewrites,
            compiler.ReconstructSSA,
            typed_passes.NopythonTypeInference,
            typed_passes.PreLowerStripPhis,
            typed_passes.AnnotateTypes,
            Lowered,
            typed_passes.NoPythonBackend,
        ):
            passes.add_pass(one, one.__name__)
        passes.finalize()
        return [passes]


OPTIONS = {"error_model": "numpy", "_nrt": False, "no_cfunc_wrapper": True, "pipeline_class": Core}
KERNEL = {**OPTIONS, "nogil": True}
INNER = {**OPTIONS, "no_cpython_wrapper": True}


def forget() -> None:
    """Make what kernels reach anew when it is next compiled: a constant of a module may have changed."""
    _twins.clear()


def _twin(function: Callable, options: dict) -> Any:
    """A compiled dispatcher of ``function`` whose marked callees are compiled twins as well."""
    names: dict[str, Any] = {}
    for name, callee in _callees(function):
        if callee not in _twins:
            _twins[callee] = _twin(callee, INNER | {"forceinline": callee.__nivvo__ == "inner"})
        names[name] = _twins[callee]
    dispatcher = _dispatcher(function, options, names)
    ask = dispatcher.get_call_template
    dispatcher.get_call_template = lambda args, kws: ask(tuple(map(_plain, args)), kws)
    return dispatcher


def _plain(kind: Any) -> Any:
    """As what an argument is taken: one compilation a function, not one a number that is written, or a width."""
    kind = numba.types.unliteral(kind)
    return numba.types.int64 if isinstance(kind, numba.types.Integer) and kind.signed else kind


def _dispatcher(function: Callable, options: dict, names: dict[str, Any]) -> Any:
    """A dispatcher of ``function``, with other values of some ``names`` of its module."""
    body = types.FunctionType(
        function.__code__,
        {**function.__globals__, **names},
        function.__name__,
        function.__defaults__,
        function.__closure__,
    )
    body.__qualname__ = function.__qualname__
    body.__module__ = function.__module__
    return numba.njit(**options)(body)


def _callees(function: Callable) -> Iterator[tuple[str, Callable]]:
    """The marked functions that one names, each with that name."""
    for name in _names(function.__code__):
        value = function.__globals__.get(name)
        if isinstance(value, types.FunctionType) and getattr(value, "__nivvo__", None) in ("inner", "cold"):
            yield name, value


def _names(code: types.CodeType) -> Iterator[str]:
    yield from code.co_names
    for constant in code.co_consts:
        if isinstance(constant, types.CodeType):
            yield from _names(constant)


def signature_of(args: tuple) -> tuple:
    """The types of ``args``; from now on named tuples of their classes go as a pointer if all in them are arrays."""
    for arg in args:
        if hasattr(arg, "_fields") and all(isinstance(one, np.ndarray) for one in arg):
            _pass_pointed(type(arg))
    return tuple(numba.typeof(arg) for arg in args)


def load(function: Callable, signature: tuple, stamp: str, folder: Path) -> Callable | None:
    """The kernel that lies in ``folder``, or None: without dispatchers of its callees, which are inlined into it."""
    dispatcher = _dispatcher(function, KERNEL, {})
    with _one_at_a_time, global_compiler_lock, _callees_left_as_they_are(dispatcher.py_func.__qualname__):
        made = _store(dispatcher.py_func, folder, stamp).load_overload(signature, dispatcher.targetctx)
        if made is None:
            return None
        dispatcher.targetctx.insert_user_function(made.entry_point, made.fndesc, [made.library])
        dispatcher.add_overload(made)
    dispatcher.disable_compile()
    return dispatcher


def make(function: Callable, signature: tuple, stamp: str, folder: Path | None) -> Callable:
    """A kernel compiled for ``signature``; kept in ``folder``, if any."""
    dispatcher = _twin(function, KERNEL)
    if folder is not None:
        dispatcher._cache = _store(dispatcher.py_func, folder, stamp)
    with _one_at_a_time:
        collecting = gc.isenabled()
        gc.disable()
        try:
            name = dispatcher.py_func.__qualname__
            with (
                _callees_left_as_they_are(name),
                _with_few_passes(),
                _in_few_words(),
                _row_by_row(),
                _asked_once(),
                _where_variables_are(),
            ):
                dispatcher.compile(signature)
        finally:
            if collecting:
                gc.enable()
    dispatcher.disable_compile()
    return dispatcher


@contextlib.contextmanager
def _instead(owner: Any, **functions: Callable) -> Iterator[None]:
    """Functions of a class or module of Numba's replaced for a while."""
    own = {name: getattr(owner, name) for name in functions}
    for name, function in functions.items():
        setattr(owner, name, function)
    try:
        yield
    finally:
        for name, function in own.items():
            setattr(owner, name, function)


def _here(own: Callable, so: Callable = lambda *args, **keys: None) -> Callable:
    """A function of Numba's own, but ``so`` in this thread."""
    here = threading.get_ident()
    return lambda *args, **keys: (so if threading.get_ident() == here else own)(*args, **keys)


@contextlib.contextmanager
def _asked_once() -> Iterator[None]:
    """What Numba works out again and again while it compiles is worked out once, or not at all.

    What an operator or function gives for arguments of some types, how large a type is, whether a function takes a
    ``loc``: once; what there is to be called, and what implements it, once a context and not for each function; and
    nobody is told of each call of LLVM or line, nor are warnings caught at each operation.
    """
    known: dict[Any, Any] = {}
    own_type, own_size = BaseFunction.get_call_type, BaseContext.get_abi_sizeof
    own_more, own_types = CPUContext.load_additional_registries, typeinfer.TypeInferer.propagate
    own_known, own_made = typing.BaseContext.refresh, BaseContext.refresh

    def once(key, function, *args):
        if key not in known:
            known[key] = function(*args)
        return known[key]

    def call_type(self, context, args, keys):
        if keys:
            return own_type(self, context, args, keys)
        return once((self, args), own_type, self, context, args, keys)

    def nothing(*args, **keys):
        return contextlib.nullcontext()

    def inferred(self, raise_errors=True):
        """Where nothing goes back all types are known after one round, and need no second that finds none changed."""
        blocks = self.func_ir.blocks
        goes_back = any(to <= label for label, block in blocks.items() for to in block.terminator.get_targets())
        return own_types(self, raise_errors) if goes_back or self.constraints.propagate(self) else None

    with (
        _instead(BaseFunction, get_call_type=call_type),
        _instead(BaseContext, get_abi_sizeof=lambda self, of: once(str(of), own_size, self, of)),
        _instead(CPUContext, load_additional_registries=lambda self: once(self, own_more, self)),
        _instead(typing.BaseContext, refresh=_here(own_known, lambda self: once((self, "known"), own_known, self))),
        _instead(BaseContext, refresh=_here(own_made, lambda self: once((self, "made"), own_made, self))),
        _instead(base, _has_loc=functools.cache(base._has_loc)),
        _instead(errors.WarningsFixer, catch_warnings=nothing),
        _instead(typeinfer.TypeInferer, propagate=_here(own_types, inferred)),
        _instead(lowering, new_error_context=_here(lowering.new_error_context, nothing)),
        _instead(typeinfer, new_error_context=_here(typeinfer.new_error_context, nothing)),
        _instead(event, start_event=_here(event.start_event), end_event=_here(event.end_event)),
    ):
        yield


@contextlib.contextmanager
def _where_variables_are() -> Iterator[None]:
    """Variables are looked for where they are.

    Each that is assigned anew is told from its other values in the blocks alone in which it is; which variables a line
    or a block has is found once; and where they live nobody asks (but generators, and blocks of ``with``).
    """
    names: dict[int, tuple[Any, set[str]]] = {}
    held: dict[int, tuple[Any, set[str]]] = {}
    bare = {str, int, float, bool, type(None), numba_ir.Loc}
    own_run = postproc.PostProcessor.run

    def run(self, emit_dels=False, extend_lifetimes=False):
        if emit_dels or self.func_ir.is_generator:
            own_run(self, emit_dels, extend_lifetimes)
        else:
            self.func_ir.blocks = transforms.canonicalize_cfg(self.func_ir.blocks)

    def variables(self, of):
        found = []
        for one in of.values() if type(of) is dict else of:
            kind = type(one)
            if kind is numba_ir.Var:
                found.append(one)
            elif kind in (list, tuple, dict):
                found += variables(self, one)
            elif kind not in bare and isinstance(one, numba_ir.Inst):
                found += one.list_vars()
        return found

    def named(line):
        if id(line) not in names:
            names[id(line)] = line, {one.name for one in line.list_vars()}
        return names[id(line)][1]

    def holds(lines):
        if id(lines) not in held:
            held[id(lines)] = lines, set().union(*map(named, lines))
        return held[id(lines)][1]

    def rewritten(blocks, states, handler):
        made, name = {}, states["varname"]
        for label, block in blocks.items():
            if name not in holds(block.body):
                made[label] = block
                continue
            states["label"], states["block"] = label, block
            made[label] = new = numba_ir.Block(scope=block.scope, loc=block.loc)
            new.body = [
                (handler.on_assign if type(line) is numba_ir.Assign else handler.on_other)(states, line)
                for line in block.body
            ]
        return made

    with (
        _instead(postproc.PostProcessor, run=_here(own_run, run)),
        _instead(numba_ir.Inst, _rec_list_vars=variables),
        _instead(ssa, _run_block_rewrite=_here(ssa._run_block_rewrite, rewritten)),
    ):
        yield


class _Rows:
    """An array that lies row by row, to be read: its parts follow from where it lies and how long it is.

    Numba writes all of an array down on the stack each time that an item of it is named, and reads it again from there.
    """

    def __init__(self, context: Any, builder: Any, kind: numba.types.Array, value: Any):
        self._context, self._builder, self._kind, self._value = context, builder, kind, value

    @property
    def data(self) -> Any:
        """Where it lies."""
        return self._part("data")

    @property
    def shape(self) -> Any:
        """How long it is along each axis, as one value."""
        return cgutils.pack_array(self._builder, [self.length(axis) for axis in range(self._kind.ndim)])

    @property
    def itemsize(self) -> Any:
        """How large an item is, in bytes."""
        size = self._context.get_abi_sizeof(self._context.get_data_type(self._kind.dtype))
        return self._context.get_constant(numba.types.intp, size)

    @property
    def strides(self) -> Any:
        """How many bytes lie from one to the next along each axis, as one value."""
        steps = [self.itemsize]
        for axis in range(self._kind.ndim - 1, 0, -1):
            steps.insert(0, self._builder.mul(steps[0], self.length(axis)))
        return cgutils.pack_array(self._builder, steps)

    @property
    def nitems(self) -> Any:
        """How many there are in all."""
        return functools.reduce(self._builder.mul, map(self.length, range(self._kind.ndim)))

    @property
    def meminfo(self) -> Any:
        """Whose memory it is: nobody's here."""
        return self._part("meminfo")

    @property
    def parent(self) -> Any:
        """Of what it is a part."""
        return self._part("parent")

    def length(self, axis: int) -> Any:
        """How long it is along an axis."""
        return self._part("shape", axis)

    def _part(self, name: str, *axis: int) -> Any:
        where = [self._context.data_model_manager[self._kind]._fields.index(name), *axis]
        made = self._value
        while isinstance(made, ir.instructions.InsertValue):
            put = list(made.indices)
            if put == where:
                return made.value
            if put == where[: len(put)]:
                break
            made = made.aggregate
        return self._builder.extract_value(self._value, where)


@contextlib.contextmanager
def _in_few_words() -> Iterator[None]:
    """What is written for calls and places on the stack is what is needed in the core, and no more.

    Nothing in it raises, so nobody asks whether a call did; and what is read has been written.
    """
    own_call, own_propagate = callconv.CPUCallConv.call_function, callconv.CPUCallConv.return_status_propagate
    own_place, own_unlikely = cgutils.alloca_once, cgutils.if_unlikely

    def of_the_core(function):
        """Whether a function is called from compiled ones, and not from Python or C, which want to know."""
        return len(function.args) > 1 and function.args[1].name == "excinfo"

    def call(self, builder, callee, resty, argtys, args, attrs=None):
        if not of_the_core(builder.function):
            return own_call(self, builder, callee, resty, argtys, args, attrs)
        kept = cgutils.alloca_once(builder, self.get_return_type(resty).pointee)
        given = self._get_arg_packer(argtys).as_arguments(builder, args)
        code = builder.call(callee, [kept, builder.function.args[1], *given])
        yes, no = cgutils.true_bit, cgutils.false_bit
        status = callconv.Status(code, yes, no, no, no, no, no, None)
        return status, self.context.get_returned_value(builder, resty, builder.load(kept))

    def propagate(self, builder, status):
        if status.is_error is not cgutils.false_bit:
            own_propagate(self, builder, status)

    def unlikely(builder, asked):
        return contextlib.nullcontext() if asked is cgutils.false_bit else own_unlikely(builder, asked)

    def place(builder, kind, size=None, name="", zfill=False):
        if size is not None or not of_the_core(builder.function):
            return own_place(builder, kind, size, name, zfill)
        with builder.goto_entry_block():
            there = builder.alloca(kind, name=name)
        if zfill:
            builder.store(kind(None), there)
        return there

    calls = {"call_function": _here(own_call, call), "return_status_propagate": _here(own_propagate, propagate)}
    with (
        _instead(callconv.CPUCallConv, **calls),
        _instead(cgutils, alloca_once=_here(own_place, place), if_unlikely=_here(own_unlikely, unlikely)),
    ):
        yield


@contextlib.contextmanager
def _row_by_row() -> Iterator[None]:
    """Arrays of the core lie row by row: what is named of one is where its first item is, and how many further on.

    A record that is written to a row is moved as so many bytes. Numba reads it as an array of bytes, which LLVM takes
    apart one by one.
    """
    own_array, own_indexing = arrayobj.make_array, arrayobj.basic_indexing
    own_pack = BaseContext.pack_value

    def array(kind):
        own = own_array(kind)
        if type(kind) is not numba.types.Array or kind.layout != "C":
            return own

        def made(context, builder, value=None, ref=None):
            if value is None or ref is not None:
                return own(context, builder, value, ref)
            return _Rows(context, builder, kind, value)

        return made

    def indexing(context, builder, kind, rows, index_types, indices, boundscheck=None):
        plain = isinstance(rows, _Rows) and len(indices) == kind.ndim
        if not plain or not all(isinstance(one, numba.types.Integer) for one in index_types):
            return own_indexing(context, builder, kind, rows, index_types, indices, boundscheck)
        at = None
        for axis, (width, index) in enumerate(zip(index_types, indices, strict=True)):
            index = context.cast(builder, index, width, numba.types.intp)
            if width.signed and not (isinstance(index, ir.Constant) and index.constant >= 0):
                index = slicing.fix_index(builder, index, rows.length(axis))
            at = index if axis == 0 else builder.add(builder.mul(at, rows.length(axis)), index)
        return builder.gep(rows.data, [at]), [], []

    def packed(self, builder, kind, value, place, align=None):
        if isinstance(kind, numba.types.Record):
            size = self.get_constant(numba.types.intp, kind.size)
            cgutils.raw_memmove(builder, place, value, size, 1)
        else:
            own_pack(self, builder, kind, value, place, align)

    here_so = {"make_array": _here(own_array, array), "basic_indexing": _here(own_indexing, indexing)}
    with (
        _instead(arrayobj, **here_so),
        _instead(BaseContext, pack_value=_here(own_pack, packed)),
    ):
        yield


@contextlib.contextmanager
def _with_few_passes() -> Iterator[None]:
    """LLVM's first list of passes for a kernel, and of its callees' only what makes them smaller.

    Of the functions that are there: those that are only named have none. Holds for compilations of this thread only. It
    saves a third of LLVM's time; no number hangs on it, nor a tick's time.
    """
    code, library, here = codegen.JITCPUCodegen, codegen.JITCodeLibrary, threading.get_ident()
    own_builder, own_passes = code._pass_builder, code._function_pass_manager
    own_each = library._optimize_functions

    def builder(self, **options):
        return own_builder(self, **({"opt": 1} if threading.get_ident() == here else {}) | options)

    def passes(self, **options):
        if threading.get_ident() != here:
            return own_passes(self, **options)
        few = create_new_function_pass_manager()
        few.add_sroa_pass()
        few.add_simplify_cfg_pass()
        few.add_instruction_combine_pass()
        return few, builder(self, **options)

    def each(self, module):
        module.data_layout = self._codegen._data_layout
        for function in module.functions:
            if not function.is_declaration:
                few, tuning = passes(self._codegen)
                few.run(function, tuning)

    with (
        _instead(code, _pass_builder=builder, _function_pass_manager=passes),
        _instead(library, _optimize_functions=_here(own_each, each)),
    ):
        yield


@contextlib.contextmanager
def _callees_left_as_they_are(kernel_name: str) -> Iterator[None]:
    """Link and optimise the kernel alone, and make machine code of it alone: its callees are inlined into it.

    Holds for compilations of this thread only. It saves about half of the time.
    """
    library, here = codegen.JITCodeLibrary, threading.get_ident()
    own_finalise, own_pointer = library.finalize, library.get_pointer_to_function
    own_environment = codegen.JITCPUCodegen.set_env

    def callee(one) -> bool:
        return threading.get_ident() == here and one.name != kernel_name

    def reached(of, seen=()):
        """What a kernel reaches, each once, callees before their callers: linked the other way round none is lost."""
        seen = seen or {of}
        for one in of._linking_libraries:
            if one not in seen:
                seen.add(one)
                yield from reached(one, seen)
                yield one

    def finalise(self):
        if callee(self):
            self._finalize_dynamic_globals()
            self._finalized = True
            return
        if threading.get_ident() == here:
            self._linking_libraries = list(reached(self))[::-1]
        own_finalise(self)

    def pointer(self, name):
        return 0 if callee(self) else own_pointer(self, name)

    def environment(self, name, env):
        if threading.get_ident() != here or self._engine.get_global_value_address(name):
            own_environment(self, name, env)

    with (
        _instead(library, finalize=finalise, get_pointer_to_function=pointer),
        _instead(codegen.JITCPUCodegen, set_env=environment),
    ):
        yield


def _store(function: Callable, folder: Path, stamp: str) -> Any:
    """Numba's own store of compiled code, laid in ``folder`` under ``stamp``."""

    class Locator(caching._CacheLocator):
        def get_cache_path(self):
            return str(folder)

        def get_source_stamp(self):
            return stamp

        def get_disambiguator(self):
            return None

        @classmethod
        def from_function(cls, py_func, py_file):
            return cls()

    class Impl(caching.CompileResultCacheImpl):
        _locator_classes = (Locator,)

    class Store(caching.FunctionCache):
        _impl_class = Impl

        def load_overload(self, sig, target_context):
            # What is loaded is machine code: it needs none of the tables that compiling does, which take half a
            # second to read.
            with self._guard_against_spurious_io_errors():
                return self._load_overload(sig, target_context)

    return Store(function)


class Pointed(numba.types.Type):
    """A named tuple of arrays as one pointer to a list of where each lies and how long it is.

    Numba takes a named tuple apart at every call, into seven numbers an array: a pool of twenty-two made more code of
    that than of all that is computed. The kernel's front door fills the list once; an array is read from it where it
    is named. Each lies row by row, without gaps.
    """

    def __init__(self, bundle: numba.types.NamedTuple):
        self.bundle = bundle
        super().__init__(f"Pointed({bundle.name})")

    @property
    def key(self) -> str:
        """What tells it from other types."""
        return self.name

    @property
    def mangling_args(self) -> tuple:
        """A short name in compiled code: that of a bundle spells out all fields of all its arrays."""
        return self.bundle.instance_class.__name__, ()

    def slot(self, at: int) -> int:
        """Where in the list the array ``at`` begins: its data, then its length along each axis."""
        return sum(1 + one.ndim for one in self.bundle.types[:at])


@register_model(Pointed)
class _Model(models.PrimitiveModel):
    def __init__(self, dmm, fe_type):
        super().__init__(dmm, fe_type, SLOT.as_pointer())


@infer_getattr
class _Fields(AttributeTemplate):
    key = Pointed

    def generic_resolve(self, pointed, name):
        fields = pointed.bundle.fields
        return pointed.bundle[fields.index(name)] if name in fields else None


@lower_getattr_generic(Pointed)
def _field(context, builder, pointed, listed, name):
    at = pointed.bundle.fields.index(name)
    kind = pointed.bundle[at]
    whole, word = context.get_value_type(kind), context.get_value_type(numba.types.intp)
    unchanging = builder.module.add_metadata([])

    def read(number):
        found = builder.load(builder.gep(listed, [ir.Constant(word, pointed.slot(at) + number)], inbounds=True))
        found.set_metadata("invariant.load", unchanging)
        return found

    fields = context.data_model_manager[kind]._fields
    data, shape = fields.index("data"), fields.index("shape")
    # All else follows from these two (``_Rows``).
    made = builder.insert_value(ir.Constant(whole, None), builder.bitcast(read(0), whole.elements[data]), data)
    for axis in range(kind.ndim):
        made = builder.insert_value(made, builder.ptrtoint(read(1 + axis), word), (shape, axis))
    return made


@unbox(Pointed)
def _unbox(pointed, obj, c):
    taken = c.unbox(pointed.bundle, obj)
    listed = cgutils.alloca_once(c.builder, SLOT, pointed.slot(len(pointed.bundle)))
    for at, kind in enumerate(pointed.bundle):
        one = c.context.make_array(kind)(c.context, c.builder, c.builder.extract_value(taken.value, at))
        words = [c.builder.bitcast(one.data, SLOT)]
        words += [c.builder.inttoptr(axis, SLOT) for axis in cgutils.unpack_tuple(c.builder, one.shape)]
        for number, value in enumerate(words, pointed.slot(at)):
            c.builder.store(value, cgutils.gep(c.builder, listed, number))
    return NativeValue(listed, taken.is_error, taken.cleanup)


@functools.cache
def _pass_pointed(kind: type) -> None:
    @typeof_impl.register(kind)
    def _typeof(value, c):
        return Pointed(numba.types.NamedTuple([numba.typeof(one) for one in value], kind))
