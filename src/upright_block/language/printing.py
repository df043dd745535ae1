"""Structured Text from the syntax tree."""

from __future__ import annotations

from collections.abc import Iterator

from upright_block.language import syntax, typed


def expression_text(node: syntax.Expression) -> str:
    """An expression as text, with parentheses around each operation inside another but NOT, which binds most."""
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
        case syntax.Binary(operator=operator, left=left, right=right):
            return f"{_inner(left)} {operator} {_inner(right)}"
        case syntax.Call(callee=callee, arguments=arguments):
            return f"{expression_text(callee)}({', '.join(map(_argument, arguments))})"
    raise TypeError(node)


def _inner(node: syntax.Expression) -> str:
    text = expression_text(node)
    is_tight = not isinstance(node, (syntax.Binary, syntax.Unary)) or getattr(node, "operator", "") == "NOT"
    return text if is_tight else f"({text})"


def _argument(node: syntax.Argument) -> str:
    if not node.name:
        return expression_text(node.value)
    sign = "=>" if node.output else ":="
    return f"{'NOT ' if node.negated else ''}{node.name} {sign} {expression_text(node.value)}"


def program_lines(unit: typed.Unit) -> Iterator[str]:
    """A program that consists of calls and assignments, such as a wiring table, line by line."""
    yield f"PROGRAM {unit.name}"
    own = [v for v in unit.variables.values() if v.section == "private" and not v.is_hidden]
    if own:
        yield "VAR"
        width = max(len(v.name) for v in own)
        for variable in own:
            comment = f" // {variable.comment}" if variable.comment else ""
            yield f"    {variable.name:<{width}} : {variable.type.name};{comment}"
        yield "END_VAR"
        yield ""
    for statement in unit.syntax.body:
        if isinstance(statement, syntax.Assignment):
            yield f"{expression_text(statement.target)} := {expression_text(statement.value)};"
        elif isinstance(statement, syntax.CallStatement):
            yield f"{expression_text(statement.call)};"
    yield "END_PROGRAM"
