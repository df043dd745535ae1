"""Source text from the syntax tree: any of it is printed, and what is printed is read as the same tree."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from upright_block.language import syntax, typed


def file_text(file: syntax.File) -> str:
    """All that a file declares, in the style of `formatting`: types, global variables, units, configurations."""
    from upright_block.language.formatting import formatted
    from upright_block.language.source import Source

    made = formatted(Source("", "\n".join(_file(file))))
    assert made is not None, "what is printed can be read"
    return made


def _file(file: syntax.File) -> Iterator[str]:
    for declared in file.types:
        yield from _at_home(declared.home, _type_declaration(declared))
    inside = {id(section) for configuration in file.configurations for section in configuration.globals}
    for section in file.globals:
        if id(section) not in inside:
            yield from _section(section)
    for unit in file.units:
        yield from _at_home(unit.home, unit_lines(unit))
    for configuration in file.configurations:
        yield from _configuration(configuration)


def _at_home(home: syntax.Home, lines: Iterable[str]) -> Iterator[str]:
    """Lines in the namespace that they are declared in."""
    if home.namespace:
        yield f"NAMESPACE {home.namespace}"
    yield from (f"USING {name};" for name in home.using)
    yield from lines
    if home.namespace:
        yield "END_NAMESPACE"


def _noted(text: str, comment: str) -> str:
    if "\n" not in comment:
        return f"{text} // {comment}" if comment else text
    opening, closing = ("/*", "*/") if "(*" in comment or "*)" in comment else ("(*", "*)")
    return f"{text} {opening} {comment} {closing}"


def _comment_lines(comment: str) -> Iterator[str]:
    yield from (f"// {line}" for line in comment.splitlines())


# --- units (6.6, 6.7) ---


def unit_lines(unit: syntax.Unit) -> Iterator[str]:
    """A unit, without indents."""
    yield from _comment_lines(unit.comment)
    result = f" : {_type(unit.result)}" if unit.result is not None else ""
    bases = "".join(
        f" {word} {', '.join(name.name for name in names)}"
        for word, names in (("EXTENDS", unit.bases), ("IMPLEMENTS", unit.interfaces))
        if names
    )
    yield " ".join([unit.kind, *unit.qualifiers, unit.name]) + result + bases
    for section in unit.sections:
        yield from _section(section)
    for method in unit.methods:
        yield from unit_lines(method)
    if unit.sequence is not None:
        yield from _sequence(unit.sequence)
    yield from body_lines(unit.body)
    yield f"END_{unit.kind}"


def _section(section: syntax.VariableSection) -> Iterator[str]:
    yield " ".join([section.section, *section.qualifiers])
    yield from map(_declaration, section.declarations)
    yield "END_VAR"


def _declaration(node: syntax.Declaration) -> str:
    at = f" AT {node.address}" if node.address else ""
    edge = f" {node.edge}" if node.edge else ""
    initial = f" := {expression_text(node.initial)}" if node.initial is not None else ""
    return _noted(f"{node.name}{at} : {_type(node.type)}{edge}{initial};", node.comment)


def _type_declaration(node: syntax.TypeDeclaration) -> Iterator[str]:
    yield "TYPE"
    yield from _comment_lines(node.comment)
    initial = f" := {expression_text(node.initial)}" if node.initial is not None else ""
    yield f"{node.name} : {_type(node.spec)}{initial};"
    yield "END_TYPE"


def _type(node: syntax.TypeSpec) -> str:
    match node:
        case syntax.TypeName(name=name):
            return name
        case syntax.StringSpec(name=name, length=length):
            return f"{name}[{expression_text(length)}]"
        case syntax.SubrangeSpec(base=base, low=low, high=high):
            return f"{base.name} ({expression_text(low)}..{expression_text(high)})"
        case syntax.ArraySpec(bounds=bounds, element=element, stars=stars):
            ranges = [f"{expression_text(low)}..{expression_text(high)}" for low, high in bounds]
            return f"ARRAY [{', '.join(ranges or ['*'] * stars)}] OF {_type(element)}"
        case syntax.ReferenceSpec(target=target):
            return f"REF_TO {_type(target)}"
        case syntax.EnumerationSpec(base=base, members=members):
            values = [m.name if m.value is None else f"{m.name} := {expression_text(m.value)}" for m in members]
            return f"{base.name + ' ' if base else ''}({', '.join(values)})"
        case syntax.StructureSpec(fields=fields):
            return "\n".join(["STRUCT", *map(_declaration, fields), "END_STRUCT"])
    raise TypeError(node)


def _sequence(node: syntax.Sequence) -> Iterator[str]:
    for step in node.steps:
        yield _noted(f"{'INITIAL_STEP' if step.is_initial else 'STEP'} {step.name}:", step.comment)
        for each in step.associations:
            time = f", {expression_text(each.time)}" if each.time is not None else ""
            yield f"{each.name}({each.qualifier}{time});"
        yield "END_STEP"
    for transition in node.transitions:
        name = f" {transition.name}" if transition.name else ""
        priority = f" (PRIORITY := {transition.priority})" if transition.priority else ""
        ways = " ".join(
            f"{word} {f'({names})' if len(steps) > 1 else names}"
            for word, steps in (("FROM", transition.sources), ("TO", transition.targets))
            for names in [", ".join(step.name for step in steps)]
        )
        yield f"TRANSITION{name}{priority} {ways} := {expression_text(transition.condition)};"
        yield "END_TRANSITION"
    for action in node.actions:
        yield f"ACTION {action.name}:"
        yield from body_lines(action.body)
        yield "END_ACTION"


# --- configurations (6.8) ---


def _configuration(node: syntax.Configuration) -> Iterator[str]:
    """A configuration; what stands in which of several resources is nobody's business, so all of it stands in the
    first.
    """
    yield f"CONFIGURATION {node.name}"
    yield from (f"RESOURCE {name} END_RESOURCE" for name in node.resources)
    for section in node.globals:
        yield from _section(section)
    for task in node.tasks:
        given = (("INTERVAL", task.interval), ("SINGLE", task.single), ("PRIORITY", task.priority))
        yield f"TASK {task.name} ({', '.join(f'{w} := {expression_text(v)}' for w, v in given if v is not None)});"
    for program in node.programs:
        retain = f"{program.retain} " if program.retain else ""
        task_name = f" WITH {program.task.name}" if program.task is not None else ""
        pins = f" ({', '.join(map(_argument, program.arguments))})" if program.arguments else ""
        yield f"PROGRAM {retain}{program.name}{task_name} : {program.type.name}{pins};"
    if node.settings:
        yield "VAR_CONFIG"
        for setting in node.settings:
            at = f" AT {setting.address}" if setting.address else ""
            initial = f" := {expression_text(setting.initial)}" if setting.initial is not None else ""
            yield f"{'.'.join(part.name for part in setting.path)}{at} : {_type(setting.type)}{initial};"
        yield "END_VAR"
    if node.accesses:
        yield "VAR_ACCESS"
        for access in node.accesses:
            way = "READ_WRITE" if access.is_writable else "READ_ONLY"
            yield f"{access.name} : {expression_text(access.path)} : {_type(access.type)} {way};"
        yield "END_VAR"
    yield "END_CONFIGURATION"


# --- statements (7.3.3) ---


def body_lines(body: Iterable[syntax.Statement]) -> Iterator[str]:
    """Statements; those inside of others are indented."""
    for statement in body:
        yield from _statement(statement)


def _statement(node: syntax.Statement) -> Iterator[str]:
    match node:
        case syntax.Assignment(target=target, value=value):
            yield f"{expression_text(target)} := {expression_text(value)};"
        case syntax.CallStatement(call=call):
            yield f"{expression_text(call)};"
        case syntax.If(branches=branches, otherwise=otherwise):
            for number, branch in enumerate(branches):
                yield f"{'ELSIF' if number else 'IF'} {expression_text(branch.condition)} THEN"
                yield from _inside(branch.body)
            yield from _otherwise(otherwise)
            yield "END_IF"
        case syntax.Case(selector=selector, arms=arms, otherwise=otherwise):
            yield f"CASE {expression_text(selector)} OF"
            for arm in arms:
                yield f"{', '.join(map(_label, arm.labels))}:"
                yield from _inside(arm.body)
            yield from _otherwise(otherwise)
            yield "END_CASE"
        case syntax.For(variable=variable, first=first, last=last, step=step, body=inner):
            by = f" BY {expression_text(step)}" if step is not None else ""
            span = f"{expression_text(first)} TO {expression_text(last)}{by}"
            yield f"FOR {expression_text(variable)} := {span} DO"
            yield from _inside(inner)
            yield "END_FOR"
        case syntax.While(condition=condition, body=inner):
            yield f"WHILE {expression_text(condition)} DO"
            yield from _inside(inner)
            yield "END_WHILE"
        case syntax.Repeat(condition=condition, body=inner):
            yield "REPEAT"
            yield from _inside(inner)
            yield f"UNTIL {expression_text(condition)}"
            yield "END_REPEAT"
        case syntax.Exit() | syntax.Continue() | syntax.Return():
            yield f"{type(node).__name__.upper()};"
        case _:
            raise TypeError(node)


def _otherwise(body: tuple[syntax.Statement, ...] | None) -> Iterator[str]:
    if body is not None:
        yield "ELSE"
        yield from _inside(body)


def _inside(body: Iterable[syntax.Statement]) -> Iterator[str]:
    yield from (f"    {line}" for line in body_lines(body))


def _label(node: syntax.Label) -> str:
    return expression_text(node.low) + (f"..{expression_text(node.high)}" if node.high is not None else "")


# --- expressions (7.3.2) ---


def expression_text(node: syntax.Expression) -> str:
    """An expression as text, with parentheses around each operation inside another but NOT, which binds most, and a
    chain of one operator.
    """
    match node:
        case syntax.Literal(text=text):
            return text
        case syntax.Name(name=name):
            return name
        case syntax.Member(base=base, name=name):
            return f"{expression_text(base)}.{name}"
        case syntax.Index(base=base, indices=indices):
            return f"{expression_text(base)}[{', '.join(map(expression_text, indices))}]"
        case syntax.Dereference(base=base):
            return f"{expression_text(base)}^"
        case syntax.Part(base=base, size=size, number=number):
            return f"{expression_text(base)}.{'' if size == 'X' else f'%{size}'}{number}"
        case syntax.DirectAddress(address=address):
            return str(address)
        case syntax.Unary(operator=operator, operand=operand):
            return f"{operator} {_inner(operand)}" if operator == "NOT" else f"{operator}{_inner(operand)}"
        case syntax.Binary():
            return _chain(node)
        case syntax.Call(callee=callee, arguments=arguments):
            return f"{expression_text(callee)}({', '.join(map(_argument, arguments))})"
        case syntax.ArrayValue(items=items):
            return f"[{', '.join(map(_item, items))}]"
        case syntax.StructureValue(fields=fields):
            return f"({', '.join(f'{field.name} := {expression_text(field.value)}' for field in fields)})"
    raise TypeError(node)


def _chain(node: syntax.Binary) -> str:
    """A chain of operations, taken in a loop; one operator again and again needs no parentheses."""
    spine = [node]
    while isinstance(spine[-1].left, syntax.Binary):
        spine.append(spine[-1].left)
    text, operator = _inner(spine[-1].left), spine[-1].operator
    for link in reversed(spine):
        if link is not spine[-1] and (link.operator != operator or operator not in _CHAINED):
            text = f"({text})"
        text, operator = f"{text} {link.operator} {_inner(link.right)}", link.operator
    return text


_CHAINED = ("AND", "OR", "XOR", "+", "*")


def _inner(node: syntax.Expression) -> str:
    text = expression_text(node)
    is_tight = not isinstance(node, (syntax.Binary, syntax.Unary)) or getattr(node, "operator", "") == "NOT"
    return text if is_tight else f"({text})"


def _argument(node: syntax.Argument) -> str:
    if not node.name:
        return expression_text(node.value)
    sign = "=>" if node.output else ":="
    return f"{'NOT ' if node.negated else ''}{node.name} {sign} {expression_text(node.value)}"


def _item(node: syntax.ArrayItem) -> str:
    values = ", ".join(map(expression_text, node.values))
    return values if node.repeat is None else f"{expression_text(node.repeat)}({values})"


def program_lines(unit: typed.Unit) -> Iterator[str]:
    """A program that consists of calls and assignments, such as a wiring table, line by line."""
    yield from program_head(unit)
    for statement in unit.syntax.body:
        if isinstance(statement, syntax.Assignment):
            yield f"{expression_text(statement.target)} := {expression_text(statement.value)};"
        elif isinstance(statement, syntax.CallStatement):
            yield f"{expression_text(statement.call)};"
    yield "END_PROGRAM"


def program_head(unit: typed.Unit) -> Iterator[str]:
    """What stands before the statements of a program that a table means."""
    yield f"PROGRAM {unit.name}"
    own = [v for v in unit.variables.values() if v.section == "private" and not v.is_hidden]
    if own:
        yield "VAR"
        width = max(len(v.name) for v in own)
        for variable in own:
            yield _noted(f"    {variable.name:<{width}} : {variable.type.name};", variable.comment)
        yield "END_VAR"
        yield ""
