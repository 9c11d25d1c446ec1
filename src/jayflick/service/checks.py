"""How outputs stand against what their targets take."""

from collections.abc import Sequence

from ..core.formats.picture import ENDINGS
from ..core.recipe import BaseOutput, FramesOutput, Recipe
from ..core.targets.check import Checked, Remedy, check, facts_of, verdict_of
from .schemas.checks import CheckedRule, CheckInfo, RemedyInfo, SettingInfo
from .schemas.results import ResultInfo


def checks_of(recipe: Recipe, results: Sequence[ResultInfo]) -> dict[str, CheckInfo]:
    """By output, the rules check of the result that is shown of it; none of those without a target."""
    shown = {result.output_id: result for result in results}
    return {
        output.id: check_of(output, shown[output.id])
        for output in recipe.outputs
        if output.target is not None and output.id in shown and shown[output.id].info.format == output.format
    }


def check_of(output: BaseOutput, result: ResultInfo) -> CheckInfo:
    """A result against the target of its output, which must have one."""
    assert output.target is not None
    names = [output.file_name]
    if isinstance(output, FramesOutput):
        names = [output.names.replace("#", "0") + ENDINGS[output.picture]]
    facts = facts_of(output, result.info.model_dump(), names, result.delays)
    checked = check(facts, output.target, output)
    return CheckInfo(
        result_id=result.id,
        target=output.target.name,
        title=output.target.title,
        verdict=verdict_of(checked),
        cut=facts.cut or facts.cover.cut if facts.cover is not None and output.target.cover else None,
        rules=[_rule(one) for one in checked],
    )


def remedy_info(remedy: Remedy) -> RemedyInfo:
    """A remedy as the interface applies it."""
    settings = [SettingInfo(path=list(s.path), value=s.value) for s in remedy.settings]
    return RemedyInfo(text=remedy.text, settings=settings)


def _rule(one: Checked) -> CheckedRule:
    remedy = None if one.remedy is None else remedy_info(one.remedy)
    return CheckedRule(
        rule=one.rule,
        measured=one.measured,
        allowed=one.allowed,
        verdict=one.verdict,
        source=one.source,
        remedy=remedy,
        help=one.help,
    )
