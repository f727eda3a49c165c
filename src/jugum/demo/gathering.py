"""The rest of the demo's Gather: three more types with a few samples each, bundles, papers of no type, a folder, a
mail address."""

from __future__ import annotations

import io
import random
from collections.abc import Callable, Sequence
from email.message import EmailMessage

import pikepdf

from jugum.core.states import Purpose
from jugum.demo.assessments import tax_assessment
from jugum.demo.contracts import contract
from jugum.demo.identity import identity_paper
from jugum.demo.papers import DemoPaper, plan_bytes
from jugum.demo.parts import PrintedPaper
from jugum.demo.scans import scanned
from jugum.demo.strangers import stranger
from jugum.demo.stubs import StubPaper, stub_paper
from jugum.flow.gather import batches, documents, sources
from jugum.flow.gather.documents import Intake
from jugum.flow.office.actor import Actor
from jugum.flow.plan import history as plan_history
from jugum.store import Store

SEED = 71
SAMPLES = 9
TYPES: dict[str, Callable[[int, random.Random], PrintedPaper]] = {
    "Works contract": contract,
    "Tax assessment": tax_assessment,
    "Identity paper": identity_paper,
}
# Papers that come in without a type; the program has to tell it.
LOOSE: Sequence[Callable[[int, random.Random], PrintedPaper | StubPaper]] = (
    tax_assessment,
    identity_paper,
    tax_assessment,
    identity_paper,
    contract,
    stub_paper,
    stub_paper,
)


def joined(pdfs: Sequence[bytes | None]) -> bytes:
    """One PDF of several, one after the other; None stands for a blank A4 page."""
    made = pikepdf.new()
    for pdf in pdfs:
        if pdf is None:
            made.add_blank_page(page_size=(595, 842))
            continue
        with pikepdf.open(io.BytesIO(pdf)) as opened:
            made.pages.extend(opened.pages)
    out = io.BytesIO()
    made.save(out, deterministic_id=True)
    return out.getvalue()


def application(rng: random.Random, *, blanks: bool = False) -> bytes:
    """A bundle as an applicant sends it: contract, tax assessment, two pay stubs, identity paper, in one file."""
    employer = rng.randrange(6)
    parts: list[bytes | None] = [contract(rng.randrange(3), rng).pdf, tax_assessment(rng.randrange(2), rng).pdf]
    parts += [stub_paper(employer, rng).pdf, stub_paper(employer, rng).pdf, identity_paper(rng.randrange(2), rng).pdf]
    if blanks:
        parts.insert(1, None)
    return joined(parts)


def mail_with(name: str, pdf: bytes) -> bytes:
    """A mail with a paper attached."""
    message = EmailMessage()
    message["From"], message["To"], message["Subject"] = (
        "Merith Lindfoss <merith@example.org>",
        "papers@lowfell.example",
        "My pay stub for May",
    )
    message["Date"] = "Mon, 16 Nov 2026 09:12:00 +0100"
    message.set_content(
        "Good morning,\n\nhere is the pay stub that was missing from my application.\n\nMerith Lindfoss"
    )
    message.add_attachment(pdf, maintype="application", subtype="pdf", filename=name)
    return message.as_bytes()


def bring_samples(store: Store, actor: Actor, workspace_id: int) -> dict[int, list[DemoPaper]]:
    """Samples of the other types, which are planned from their files: type id → its papers."""
    rng = random.Random(SEED)
    samples: dict[int, list[DemoPaper]] = {}
    for name, draw in TYPES.items():
        type_id = plan_history.import_plan(store, actor, workspace_id, plan_bytes(name.lower().replace(" ", "-")))
        for number in range(SAMPLES):
            paper = draw(number, rng)
            pdf, ending = paper.pdf, ".pdf"
            if number % 4 == 3 and draw is not contract:
                pdf, ending = scanned(pdf, SEED + number, severity=0.4)
            file = f"{name.lower().replace(' ', '-')}-{number + 1:02d}{ending}"
            documents.receive(store, actor, type_id, file, pdf, purpose=Purpose.SAMPLE)
            known = DemoPaper(file, pdf, Purpose.SAMPLE, paper.layout, ending != ".pdf", paper.truth, paper.tables)
            samples.setdefault(type_id, []).append(known)
    return samples


def bring_applications(store: Store, actor: Actor, workspace_id: int) -> None:
    """Whole applications in one file, papers that the program has to tell by itself, papers of no type, a mail and a
    locked file; all through the product's own flow."""
    rng = random.Random(SEED + 1)
    batch = batches.add(
        store, actor, workspace_id, "Applications of week 47", "Came by post, scanned at the front desk"
    )
    intake = Intake(workspace_id, batch_id=batch, cut="learned")
    for number in range(2):
        documents.receive(
            store,
            actor,
            None,
            f"application-{number + 1}.pdf",
            application(rng, blanks=number == 0),
            purpose=Purpose.LIVE,
            intake=intake,
        )
    # Two papers scanned as one, a newsletter among them: the cut is for a person to look at.
    odd = joined([contract(4, rng).pdf, stranger(0, rng).pdf, tax_assessment(2, rng).pdf])
    documents.receive(store, actor, None, "front-desk-scan.pdf", odd, purpose=Purpose.LIVE, intake=intake)
    loose = Intake(workspace_id, batch_id=batch)
    single = [draw(number // 2, rng).pdf for number, draw in enumerate(LOOSE)]
    single += [stranger(number, rng).pdf for number in (1, 2, 3, 5)]
    for number, pdf in enumerate(single, 1):
        documents.receive(store, actor, None, f"loose-{number:02}.pdf", pdf, purpose=Purpose.LIVE, intake=loose)
    documents.receive(
        store,
        actor,
        None,
        "my-pay-stub.eml",
        mail_with("stub-may.pdf", stub_paper(2, rng).pdf),
        purpose=Purpose.LIVE,
        intake=loose,
    )
    with pikepdf.open(io.BytesIO(tax_assessment(1, rng).pdf)) as open_pdf:
        out = io.BytesIO()
        open_pdf.save(out, encryption=pikepdf.Encryption(owner="lowfell", user="lowfell"))
    documents.receive(store, actor, None, "assessment-locked.pdf", out.getvalue(), purpose=Purpose.LIVE, intake=loose)
    sources.add(store, actor, workspace_id, sources.SourceInput("folder", "Front desk scanner", cut="separators"))
    sources.add(store, actor, workspace_id, sources.SourceInput("mail", "Papers by mail", place="papers"))
