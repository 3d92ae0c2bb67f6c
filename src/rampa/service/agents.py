"""Agents: registering, asking for work, reporting of runs."""

from __future__ import annotations

from rampa.operations.agents import agents, enrolment
from rampa.operations.base import Act, Services
from rampa.operations.runs import lease, logs
from rampa.schema import agents as wire
from rampa.schema.common import Page
from rampa.service.base.access import current_actor
from rampa.service.base.address import client_address
from rampa.service.base.resource import Resource

AGENT = "/agents/<string:agent>"
RUN = AGENT + "/runs/<string:lease>"


def resource(services: Services) -> Resource:
    api = Resource("agents")

    @api.call("GET", "/agents", Act.READ, Page[wire.Agent])
    def list_agents() -> Page[wire.Agent]:
        """All agents: how they stand, what they can do, what they work on."""
        return agents.list_agents(services, current_actor())

    @api.call("GET", AGENT, Act.READ, wire.Agent)
    def get_agent(path: wire.AgentPath) -> wire.Agent:
        """One agent."""
        return agents.get_agent(services, current_actor(), path.agent)

    @api.call("POST", AGENT + "/enrolment", Act.ENROL_AGENT, wire.EnrolmentCode, status=201)
    def invite_agent(path: wire.AgentPath) -> wire.EnrolmentCode:
        """Make a code that enrols one agent of this name, once, within the hour."""
        return enrolment.make_code(services, current_actor(), path.agent)

    @api.call("POST", AGENT + "/key", Act.OPEN, None)
    def enrol_agent(path: wire.AgentPath, body: wire.EnrolIn) -> None:
        """A machine becomes this agent: it shows the code and leaves its public key."""
        enrolment.enrol(services, path.agent, body, client_address())

    @api.call("POST", AGENT + "/token", Act.OPEN, wire.AgentToken, status=201)
    def make_agent_token(path: wire.AgentPath, body: wire.ProofIn) -> wire.AgentToken:
        """A token of some minutes for an agent that proves that it has its key."""
        return enrolment.give_token(services, path.agent, body)

    @api.call("PUT", AGENT, Act.WORK, wire.Agent)
    def register_agent(path: wire.AgentPath, body: wire.RegisterIn) -> wire.Agent:
        """An agent starts. What an earlier process of the same name had is lost to it."""
        return agents.register(services, current_actor(), body)

    @api.call("PATCH", AGENT, Act.CHANGE_AGENT, wire.Agent)
    def change_agent(path: wire.AgentPath, body: wire.AgentChange) -> wire.Agent:
        """Pause an agent, or let it go on. A paused one ends what it has."""
        return agents.change_agent(services, current_actor(), path.agent, body)

    @api.call("DELETE", AGENT, Act.CHANGE_AGENT, None)
    def remove_agent(path: wire.AgentPath) -> None:
        """Forget an agent that is gone."""
        agents.remove_agent(services, current_actor(), path.agent)

    @api.call("POST", AGENT + "/work", Act.WORK, wire.WorkOut)
    def ask_for_work(path: wire.AgentPath, body: wire.AskIn) -> wire.WorkOut:
        """A sign of life; answers with a run as soon as there is one, or with nothing after `wait` seconds."""
        return lease.ask_for_work(services, current_actor(), body)

    @api.call("POST", AGENT + "/goodbye", Act.WORK, None)
    def say_goodbye(path: wire.AgentPath, body: wire.GoodbyeIn) -> None:
        """The agent ends by itself."""
        agents.say_goodbye(services, current_actor(), body.instance)

    _reports(api, services)
    return api


def _reports(api: Resource, services: Services) -> None:
    @api.call("POST", RUN + "/beat", Act.WORK, wire.BeatOut)
    def beat(path: wire.LeasePath, body: wire.BeatIn) -> wire.BeatOut:
        """A sign of life of a run; says whether it is to be stopped."""
        return lease.beat(services, path.agent, path.lease, body)

    @api.call("POST", RUN + "/step", Act.WORK, wire.BeatOut)
    def report_step(path: wire.LeasePath, body: wire.StepIn) -> wire.BeatOut:
        """A step began or ended."""
        return lease.report_step(services, path.agent, path.lease, body)

    @api.call("POST", RUN + "/log", Act.WORK, wire.LogTaken)
    def send_log(path: wire.LeasePath, body: wire.LogIn) -> wire.LogTaken:
        """The next batch of the log. A batch can be sent again."""
        return logs.take_batch(services, path.agent, path.lease, body)

    @api.call("POST", RUN + "/letter", Act.WORK, None)
    def send_letter(path: wire.LeasePath) -> None:
        """Write to whoever started the run."""
        lease.notify(services, path.agent, path.lease)

    @api.call("POST", RUN + "/end", Act.WORK, None)
    def end_run(path: wire.LeasePath, body: wire.EndIn) -> None:
        """The end of an attempt."""
        lease.end_run(services, path.agent, path.lease, body)
