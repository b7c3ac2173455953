import { memo, useEffect, useMemo, useRef } from "react";
import { Link } from "react-router";
import { useShallow } from "zustand/react/shallow";

import type { Command, ReelView, Row } from "../../api/client";
import { hand } from "../../ahead/hand";
import { type useReelEdits, useRevision, useSpecs, useTakes, useTakesOf } from "../../api/hooks";
import { useCommands } from "../../ui/commands";
import { useActions } from "../../ui/keys";
import { tell } from "../../ui/notices";
import { useAllBut, useKept, useParts } from "../../ui/parts";
import { useSize } from "../../ui/size";
import { useRemembered } from "../../ui/remembered";
import { useStable } from "../../ui/stable";
import { chooseTrack, type LoomActs, loomActs, setTrack, toggleSolo } from "./acts/acts";
import { layBand, layGroups } from "./ground/band";
import { BandTime } from "./time/bandtime";
import { BoardBand, BoardHead, BoardTracks } from "./board/board";
import { useHands, watchedRows } from "./board/hands";
import { Borrow } from "./chosen/borrow";
import { chosenTracks, clipsAt, mainClip, nothing, there } from "./ground/choice";
import { gather } from "./acts/clipboard";
import { useConsent } from "./weave/consent";
import { ChainPanel } from "./chains/chain";
import type { Opened } from "../../chain/chains";
import { Deck } from "./transport/deck";
import { Docked } from "./dock";
import { bandHeight, boardBandHeight, headsWidth, lowBandHeight, reedWidth, rulerHeight } from "./ground/geometry";
import { BandHead, FolderHead, Heads, TrackHead, type HeadActs } from "./heads/heads";
import { Inspector } from "./chosen/inspector";
import { Lists } from "./lists/lists";
import { useListening, type Listening } from "./transport/listening";
import { busOf, chainOf, clipOf, pairOf, rowThere, trackOf } from "./ground/lookup";
import { Microphone } from "./chains/microphone";
import { Meters } from "./transport/meters";
import { PicturePane, type PicturePlace } from "./transport/picture";
import { PlaceCard } from "./chosen/panpad";
import { Reed, Shown, Slid, useReed } from "./weave/reed";
import { keptRows, layRows, type TrackRow, type Rows } from "./ground/rows";
import { Ruler } from "./time/ruler";
import { useSettling } from "./reels/settling";
import { Shuttle } from "./transport/shuttle";
import { Spoken } from "./spoken";
import { heightsInWords } from "./time/sounding";
import { SpecDialog } from "./reels/spec";
import { turned, useLoom, useLoomStore, type LoomState, type LoomStore } from "./ground/state";
import { ReelStrip } from "./time/strip";
import { TimeArea } from "./time/time";
import { TimeHead } from "./heads/timehead";
import { useTimeView } from "./time/timeview";
import { TrackList } from "./lists/tracklist";
import type { Weave } from "./weave/tying";
import { useWeave, WeavePart } from "./weave/weave";
import { unfedIn, WeaveHead } from "./weave/weavehead";
import { bare } from "../../ui/bare";

/** What of its state the Loom itself is drawn by. */
const shown = ({
  opened,
  folded,
  openStems,
  curves,
  lists,
  bus,
  chain,
  deck,
  record,
  loan,
  typing,
  choosingSpec,
  stands,
  snap,
  snaps,
  picture,
  fitted,
  board,
  dock,
  waves,
  loop,
  half,
  before,
}: LoomState) => ({
  opened,
  folded,
  openStems,
  curves,
  lists,
  bus,
  chain,
  deck,
  record,
  loan,
  typing,
  choosingSpec,
  stands,
  snap,
  snaps,
  picture,
  fitted,
  board,
  dock,
  waves,
  loop,
  half,
  before,
});

const noneOpened: ReadonlySet<string> = new Set();

/** What of a reel is told, and not drawn here: nothing of the rest changes where the server confirms an edit as it was shown. */
export const told = ["revision", "undo", "redo", "undoKey", "redoKey"] as const;

/** An open reel: its rows run from the left through time, over the reed, into the weave. */
export const Loom = memo(function Loom({ view, edits }: { view: ReelView; edits: ReturnType<typeof useReelEdits> }) {
  const store = useLoomStore();
  const takes = useTakesOf(view);
  const listed = useTakes(view.production).data?.takes;
  const movies = useMemo(() => listed?.filter((t) => t.picture) ?? [], [listed]);
  const specs = useSpecs(view.production);
  const spec = specs.data?.find((s) => s.id === view.head.spec);
  const takesKey = [...takes.keys()].join();
  // Takes that sound is borrowed from are drawn too, though no clip is of them.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says which takes there are; the map is new with every edit
  const known = useMemo(() => new Map([...(listed ?? []), ...takes.values()].map((t) => [t.id, t])), [takesKey, listed]);
  const widths = useMemo(() => new Map([...known].map(([id, t]) => [id, t.channels.length])), [known]);
  const { ask, doIt, dialog } = useConsent(edits, view);
  // Not all of the state: what is chosen in the weave, say, is drawn there alone.
  const {
    opened,
    folded,
    openStems,
    curves,
    lists,
    bus,
    chain,
    deck,
    record,
    loan,
    typing,
    choosingSpec,
    stands,
    snap,
    snaps,
    picture,
    fitted,
    board,
    dock,
    waves,
    loop,
    half,
    before,
  } = useLoom(useShallow(shown));
  const unrouted = useAllBut(view, ...told, "routes", "findings"); // which are worked out a moment later
  const ofMeters = useParts(view, "groups", "outputs");
  const revision = useRevision(chain ? view.id : "");
  const inTime = useParts(view, "head", "marks", "clips", "tracks", "stems", "mixes", "groups", "buses");

  const scroller = useRef<HTMLDivElement>(null);
  const roomHeight = useSize(scroller, { width: 0, height: 400 }).height;
  const low = fitted || board; // on the board, rows stand side by side: all of them, if they fit
  const rowsWere = useRef<Rows | null>(null);
  const rows = useMemo(() => {
    const laid = layRows({ tracks: view.tracks, clips: view.clips }, board ? noneOpened : opened, folded, low ? roomHeight : undefined);
    rowsWere.current = keptRows(rowsWere.current, laid);
    return rowsWere.current;
  }, [view.tracks, view.clips, opened, folded, low, board, roomHeight]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the rows of the band are made of no more of a reel
  const laidBand = useMemo(() => layBand(view, openStems), [view.stems, view.mixes, view.tracks, openStems]);
  const band = useKept(laidBand);
  const bandRow = board ? boardBandHeight : fitted ? lowBandHeight : bandHeight;

  const chosen = useLoom((s) => s.chosen);
  const choice = useMemo(() => there(inTime, chosen), [inTime, chosen]);
  const tracksChosen = useMemo(() => chosenTracks(choice), [choice]);
  const track = trackOf(view, choice.track);
  const setChosen = (chosen: typeof choice) => store.setState({ chosen, bus: null });

  // Groups of outputs are columns; on the board they are rows as well.
  const below = useMemo(() => (board ? [...band, ...layGroups(view.groups)] : band), [board, band, view.groups]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the rows that are looked at are made of no more of a reel
  const watch = useMemo(() => (board ? watchedRows(view, below) : undefined), [board, view.tracks, below]);
  const listening = useListening(view, choice, takes, watch, deck || undefined, (deck && record) || undefined);
  const { tap, playing, position, go } = listening;
  const clipsOfTrack = rows.clips.get(choice.track) ?? [];
  const clip = mainClip(view, choice) ?? clipsAt(clipsOfTrack, stands)[0] ?? clipsOfTrack[0];
  const time = useTimeView(view, listening);
  const settling = useSettling(view);
  const settle = () => {
    const r = choice.range;
    if (r && !choice.lane && r.tracks.length === 1) settling.start({ track: r.tracks[0]!, range: { from: r.from, to: r.to } });
    else if (choice.clips.length > 0) settling.start({ clips: choice.clips });
    else if (track) settling.start({ track: track.id });
  };
  const acts = loomActs({ view, takes, rows, choice, clip, listening, time, store, doIt, settle });
  const steady = useStable<LoomActs>(acts);

  const room = useRef<HTMLDivElement>(null);
  const stableEdits = useStable({ command: doIt, tie: edits.tie });
  const weave = useWeave(view, rows, band, bandRow, tracksChosen, stableEdits);
  const reed = useReed(weave.columns, room);
  const openSpec = () => store.setState({ choosingSpec: true });
  const chooseSpec = (s: string) => {
    store.setState({ choosingSpec: false });
    void ask((yes) => edits.spec(s, yes));
  };
  useCommands(
    (specs.data ?? []).map((s) => ({ name: `Delivery spec: ${s.title}`, about: s.receiver ?? "spec", run: () => chooseSpec(s.id) })),
  );
  useActions({ ...acts, ...hearing(view, weave, listening, store), ...reaching(weave, choice.track, store), spec: openSpec });
  const playingAt = () => (playing ? position() : null);
  const heads = useHeadActs(view, doIt, (t) => <PlaceCard view={view} track={t} playingAt={playingAt} onDo={doIt} />);
  const openBus = ({ row, id }: { row: Row; id: string }) => store.setState({ lists: "track", bus: row === "track" ? null : { row, id } });
  const openChain = (chain: Opened) => store.setState({ chain, deck: false });
  const { hands, held } = useHands({
    view,
    playingAt,
    onTurn: listening.turn,
    onTurned: (made) => listening.turned(made.then(() => hand.settled(view.id))),
    onChain: openChain,
    onDo: doIt,
  });
  const onBoard = { view, spec, at: stands, watch: watch ?? [], hands, held };

  const { see, width: timeWidth } = time;
  // What is borrowed for stays in view beside the list, which takes some of the room.
  // biome-ignore lint/correctness/useExhaustiveDependencies: not with every change of what is in view
  useEffect(() => {
    if (loan) see(loan.from, loan.to);
  }, [loan, timeWidth]);
  const borrowNothing = useStable({
    close: () => {
      listening.endTry();
      store.setState({ loan: null });
    },
  }).close;

  const showClip = (id: string) => {
    const c = clipOf(view, id);
    if (!c) return;
    setChosen({ ...nothing, track: c.track, clips: [c.id] });
    time.visit(c.start);
    const row = rows.byTrack.get(c.track);
    if (row && scroller.current) scroller.current.scrollTop = Math.max(0, row.y - scroller.current.clientHeight / 3);
  };
  // Which recorder's channel a track comes from stays visible.
  const originOf = (track: string) => {
    const c = rows.clips.get(track)?.[0];
    const t = c && takes.get(c.take);
    if (!c || !t) return "";
    const channels = c.channels.map((x) => x + 1);
    return `${t.description.roll || bare(t.fileName)} ${channels.length > 2 ? `${channels[0]}–${channels.at(-1)}` : channels.join(" ")}`;
  };
  const head = (r: TrackRow) => {
    const t = r.track;
    const openHere =
      r.lanes > 0
        ? (choice.clips.map((id) => clipOf(view, id)).find((c) => c?.track === t.id && opened.has(c.id)) ??
          rows.clips.get(t.id)?.find((c) => opened.has(c.id)))
        : undefined;
    return (
      <TrackHead
        key={t.id}
        stems={view.stems}
        row={r}
        origin={originOf(t.id)}
        opened={openHere}
        take={openHere && takes.get(openHere.take)}
        lane={choice.lane && choice.lane.clip === openHere?.id ? choice.lane.channel : -1}
        selected={tracksChosen.has(t.id)}
        soloed={listening.soloed.includes(t.id)}
        alone={tap.kind === "track" && tap.id === t.id}
        chain={chainOf(view, "track", t.id)}
        acts={heads}
      />
    );
  };
  const copyTo = (ids: string[], by: number, down: number) => {
    const found = gather(view, ids);
    const first = Math.min(...found.clips.map((c) => c.start));
    const top = view.tracks.findIndex((t) => t.id === found.tracks[0]?.id) + down;
    return doIt({
      kind: "pasteClips",
      command: { clips: found.clips, tracks: found.tracks, at: first + by, track: down === 0 ? "" : (view.tracks[top]?.id ?? "") },
    });
  };
  const inspector = (
    <Inspector
      view={unrouted}
      track={track}
      clip={clip}
      choice={choice}
      takes={takes}
      acts={steady}
      dock={dock}
      onDock={acts.dock}
      playingAt={playingAt}
      onDo={doIt}
      onChain={openChain}
      onRemoveTrack={() => track && void doIt({ kind: "removeTracks", command: { tracks: [track.id] } })}
      onSettle={settle}
    />
  );

  const [placed, setPicturePlace] = useRemembered<PicturePlace>("picture place", "below");
  // Where there is a side anyway the foot is for what is chosen.
  const picturePlace = placed === "below" && (lists || loan || dock === "side") ? "side" : placed;
  // Where it floats it would cover the board.
  // At the foot it would leave too little room for a chain or the deck, but on a large screen.
  const crowded = picturePlace === "below" && (chain !== null || deck) && window.innerWidth < 1500;
  const pictureShown = picture && !crowded && (picturePlace !== "over" || !board) && (
    <PicturePane
      view={unrouted}
      at={stands}
      movies={movies}
      half={half}
      place={picturePlace}
      onPlace={setPicturePlace}
      onChoose={(t) => void doIt({ kind: "setReel", command: { picture: { take: t.id } } })}
      onClose={() => store.setState({ picture: false })}
    />
  );

  const work = (
    <div ref={room} className="flex h-full min-w-0 flex-col">
      <div className="level-with-rows flex shrink-0 overflow-hidden border-b border-line bg-ground" style={{ height: rulerHeight }}>
        <TimeHead now={() => view} acts={steady} onDo={doIt} />
        <div ref={time.box} className="min-w-0 grow">
          {board ? (
            <BoardHead />
          ) : (
            <Ruler
              view={inTime}
              scroll={time.scroll}
              at={stands}
              range={choice.range}
              loop={loop}
              frames={snap && snaps.frames}
              heights={heightsInWords(waves, choice.track)}
              onGo={go}
              onScrub={listening.scrub}
              onRange={(from, to) => setChosen({ ...choice, range: { from, to, tracks: view.tracks.map((t) => t.id) } })}
              onMark={() => store.setState({ lists: lists ?? "marks" })}
            />
          )}
        </div>
        <div style={{ width: reedWidth }} className="shrink-0" />
        <Slid reed={reed}>
          <WeaveHead view={ofMeters} unfed={unfedIn(view.findings)} columns={weave.columns} tap={tap} onTap={listening.toggleTap} />
        </Slid>
      </div>
      <div className="relative flex min-h-0 grow">
        {picturePlace === "over" && pictureShown}
        <div ref={scroller} className="level-with-rows min-h-0 grow overflow-y-auto overflow-x-hidden" tabIndex={-1}>
          <div className="flex min-h-full" style={{ height: rows.height }}>
            <Heads
              rows={rows}
              scroller={scroller}
              track={head}
              folder={(r) => <FolderHead key={r.id} row={r} onFold={() => store.setState((s) => ({ folded: turned(s.folded, r.name) }))} />}
            />
            <div className="relative flex min-w-0 grow flex-col">
              {view.clips.length === 0 && !board && <NothingYet production={view.production} />}
              <Spoken view={unrouted} choice={choice} track={track} clips={clipsOfTrack} />
              {board ? (
                <BoardTracks {...onBoard} rows={rows} />
              ) : (
                <TimeArea
                  view={inTime}
                  revision={revision}
                  scroll={time.scroll}
                  takes={widths}
                  rows={rows}
                  choice={choice}
                  curves={curves}
                  snap={snap}
                  snaps={snaps}
                  at={stands}
                  scroller={scroller}
                  onGo={go}
                  onChoose={setChosen}
                  onOpen={(id) => store.setState((s) => ({ opened: turned(s.opened, id) }))}
                  onDo={doIt}
                  onCopyTo={copyTo}
                  onListen={(c, channel, from) => listening.tryOut(from, { solo: [], half: false, lane: { clip: c, channel } })}
                  onQuiet={listening.endTry}
                />
              )}
            </div>
            <Reed reed={reed} />
            <Shown reed={reed}>
              {view.outputs.length === 0 ? (
                <NoOutputs view={view} onChoose={openSpec} onDo={doIt} />
              ) : (
                <WeavePart
                  weave={weave}
                  part="tracks"
                  label="The weave"
                  shown={reed.shown}
                  height={rows.height}
                  scroller={scroller}
                  onReach={reed.reach}
                />
              )}
            </Shown>
          </div>
        </div>
      </div>
      <div
        className={`level-with-rows flex shrink-0 overflow-y-auto border-t border-line bg-band
          ${board ? "max-h-[50%]" : fitted ? "max-h-[17%]" : "max-h-[35%]"}`}
        tabIndex={-1}
      >
        <div className="h-max shrink-0 border-r border-line" style={{ width: headsWidth }}>
          {below.map((b) => (
            <BandHead
              key={b.row + b.id}
              row={b}
              height={bandRow}
              on={tap.kind === b.row && tap.id === b.id}
              opened={openStems.has(b.id)}
              onTap={listening.toggleTap}
              does={busOf(view, b.row, b.id)}
              onOpen={() => store.setState((s) => ({ openStems: turned(s.openStems, b.id) }))}
              onLevel={() => openBus(b)}
            />
          ))}
        </div>
        <div className="h-max min-w-0 grow">
          {board ? (
            <BoardBand {...onBoard} list={below} height={bandRow} />
          ) : (
            <BandTime
              view={inTime}
              revision={revision}
              band={band}
              bandRow={bandRow}
              scroll={time.scroll}
              takes={widths}
              rows={rows}
              curves={curves}
              at={stands}
              onGo={go}
              onDo={doIt}
            />
          )}
        </div>
        <Reed reed={reed} />
        <Shown reed={reed}>
          {view.outputs.length > 0 && (
            <WeavePart
              weave={weave}
              part="band"
              label="The weave of stems and mixes"
              shown={reed.shown}
              height={band.length * bandRow}
              onReach={reed.reach}
            />
          )}
        </Shown>
      </div>
    </div>
  );
  const chainRow = chain && rowThere(view, chain.row, chain.id) ? chain : null;
  const foot = (
    <div className="level-with-rows flex h-full overflow-hidden bg-paper">
      <div className="min-w-0 grow">
        {chainRow?.row === "microphone" ? (
          <Microphone
            key={chainRow.id}
            clip={clipOf(view, chainRow.id)!}
            takes={takes}
            at={stands}
            range={choice.range}
            onClose={() => store.setState({ chain: null })}
          />
        ) : chainRow ? (
          <ChainPanel
            key={`${chainRow.row} ${chainRow.id} ${chainRow.channel}`}
            view={view}
            takes={takes}
            row={chainRow.row}
            id={chainRow.id}
            channel={chainRow.channel}
            at={stands}
            range={choice.range}
            onDo={doIt}
            onTurn={listening.turn}
            onTurned={listening.turned}
            onAside={(aside) => store.setState({ aside })}
            onClose={() => store.setState({ chain: null })}
          />
        ) : deck ? (
          <Deck view={view} spec={spec} onClose={() => store.setState({ deck: false })} />
        ) : dock === "foot" ? (
          inspector
        ) : (
          <div className="flex h-full">
            <div
              className="flex shrink-0 flex-col justify-center border-r border-line px-3 text-[12px] text-muted"
              style={{ width: headsWidth }}
            >
              <b className="text-ink">The whole reel</b>
              {view.tracks.length} tracks, {view.clips.length} clips
            </div>
            <div className="min-w-0 grow">
              <ReelStrip view={inTime} rows={rows} scroll={time.scroll} timeWidth={time.width} at={stands} onGo={time.visit} />
            </div>
          </div>
        )}
      </div>
      {picturePlace === "below" && pictureShown}
      {settling.words && <span className="self-start px-3 py-2 text-[13px] text-muted">{settling.words}</span>}
      <div className="shrink-0 bg-ground" style={{ width: reedWidth }} />
      <div className="shrink-0 bg-ground">
        <Slid reed={reed}>
          {view.outputs.length > 0 && (
            <Meters view={ofMeters} columns={weave.columns} spec={spec} tap={tap} onTap={listening.toggleTap} onSignal={listening.signal} />
          )}
        </Slid>
      </div>
    </div>
  );

  return (
    <>
      <Shuttle
        view={view}
        spec={spec}
        at={stands}
        playing={playing}
        tap={tap}
        before={before}
        check={listening.check}
        sending={listening.sending}
        onCheck={(check) => store.setState({ check })}
        onSignal={listening.signal}
        onDeck={() => store.setState({ deck: true, chain: null })}
        soloed={listening.soloed.length}
        editing={typing}
        range={choice.range}
        loop={loop}
        half={half}
        board={board}
        onBoard={(on) => store.setState({ board: on })}
        heardAlone={listening.heardAlone}
        folded={weave.columns.list.some((c) => c.folded)}
        onLook={acts.look}
        onCompare={() => before && listening.listenTo(before)}
        onLoop={acts.loop}
        onHalf={acts.half}
        onClearRange={() => setChosen({ ...choice, range: null })}
        onLists={(l) => store.setState({ lists: l })}
        onEditing={(on) => store.setState({ typing: on })}
        onPlay={acts.play}
        onGo={time.visit}
        onTap={listening.listenTo}
        onClearSolo={() => store.setState({ solo: [] })}
        onFinding={(t) => t && chooseTrack(store, t)}
        onFix={(c) => void doIt(c)}
        onSpec={openSpec}
      />
      <Docked
        tall={chainRow !== null || deck}
        pictured={picturePlace === "below" && !!pictureShown}
        room={work}
        foot={foot}
        picture={picturePlace === "side" && pictureShown}
        side={dock === "side" && inspector}
        below={
          loan ? (
            <Borrow
              key={`${loan.clip} ${loan.channel} ${loan.from} ${loan.to}`}
              view={view}
              takes={known}
              loan={loan}
              onClose={borrowNothing}
              onHear={(trial, from, until) =>
                listening.tryOut(from, { trial: trial ?? undefined, until, half: false, solo: [], lane: undefined })
              }
              onDo={doIt}
            />
          ) : (
            lists && (
              <Lists
                view={view}
                shown={lists}
                track={
                  <TrackList
                    view={inTime}
                    track={track}
                    bus={bus}
                    playingAt={playingAt}
                    onBus={(bus) => store.setState({ bus })}
                    onChain={openChain}
                    clips={clipsOfTrack}
                    chosen={choice.clips}
                    at={position}
                    onClip={showClip}
                    onDo={doIt}
                  />
                }
                onShow={(l) => store.setState({ lists: l })}
                onBus={openBus}
                onClose={() => store.setState({ lists: null })}
                onClip={showClip}
                onGo={time.visit}
                onDo={doIt}
                onUndo={() => void edits.undo()}
                onTurn={(way, step) => void edits[way]({ step })}
                onRedo={() => void edits.redo()}
              />
            )
          )
        }
      />
      {choosingSpec && (
        <SpecDialog
          production={view.production}
          open
          onOpenChange={(on) => store.setState({ choosingSpec: on })}
          chosen={view.head.spec}
          edit={(spec) => `/p/${view.production}/print/${view.id}/spec/${spec}`}
          onChoose={chooseSpec}
        />
      )}
      {dialog}
    </>
  );
});

/** Listening to the row or the column of the crossing that keys are at. */
function hearing(view: ReelView, weave: Weave, listening: Listening, store: LoomStore) {
  return {
    "hear-row": () => {
      const line = weave.lines[store.getState().at.line];
      if (line) listening.toggleTap({ kind: line.row, id: line.id });
    },
    "hear-column": () => {
      const column = weave.columns.list[store.getState().at.column];
      if (column) listening.toggleTap({ kind: column.folded ? "group" : "output", id: column.key });
    },
    "hear-pair": () => {
      const column = weave.columns.list[store.getState().at.column];
      const pair = column && !column.folded && pairOf(view, column.key);
      if (pair) listening.toggleTap({ kind: "pair", id: pair[0].id });
    },
  };
}

/** What has the gain of what is chosen: of the channel, the clip, the track, whichever there is. */
const gainFields = ["channel", "clip", "track"].map((of) => `[aria-label="Gain of the ${of} in dB"]`);

/** Going by a key to what else is many Tabs away. */
function reaching(weave: Weave, track: string, store: LoomStore) {
  return {
    gain: () => {
      const field = gainFields.map((f) => document.querySelector<HTMLInputElement>(f)).find((f) => f !== null);
      if (field) field.select();
      else tell("Choose a track or a clip first.");
      field?.focus();
    },
    weave: () => {
      if (weave.columns.list.length === 0) return tell("There are no outputs yet: choose a delivery spec.");
      const line = Math.max(
        0,
        weave.lines.findIndex((l) => l.id === track),
      );
      const { at } = store.getState();
      const moves = at.line !== line || at.column >= weave.columns.list.length;
      store.setState({
        at: { line, column: Math.min(at.column, weave.columns.list.length - 1) },
        corner: null,
        card: false,
        walked: moves,
      });
      if (!moves) document.querySelector<HTMLElement>('[role=grid] [role=gridcell][tabindex="0"]')?.focus();
    },
  };
}

/** What the heads of tracks do. */
function useHeadActs(view: ReelView, doIt: ReturnType<typeof useConsent>["doIt"], place: HeadActs["place"]): HeadActs {
  const store = useLoomStore();
  const dragged = useRef("");
  return useStable<HeadActs>({
    select: (t, how) => {
      const { chosen } = store.getState();
      if (how === "alone" || !chosen.track) return chooseTrack(store, t);
      const all = view.tracks.map((x) => x.id);
      const [a, b] = [all.indexOf(chosen.track), all.indexOf(t)].sort((x, y) => x - y) as [number, number];
      const was = chosenTracks(chosen);
      const next = how === "up to" ? all.slice(a, b + 1) : was.has(t) ? [...was].filter((x) => x !== t) : [...was, t];
      const first = next.includes(chosen.track) ? chosen.track : (next[0] ?? "");
      store.setState({ chosen: { ...chosen, track: first, whole: true, beside: next.filter((x) => x !== first), clips: [], lane: null } });
    },
    stem: (t, stem) => setTrack({ doIt }, t, { stem }),
    mute: (t, mute) => setTrack({ doIt }, t, { mute }),
    solo: (t) => toggleSolo(store, t),
    lane: (t, clip, channel) =>
      store.setState(({ chosen: { range } }) => ({
        chosen: { track: t, clips: [clip], lane: { clip, channel }, range: range && { ...range, tracks: [t] } },
      })),
    place,
    chain: (t) => store.setState({ chain: { row: "track", id: t } }),
    laneOff: (clip, channel, off) => void doIt({ kind: "setLane", command: { clip, channel, off } }),
    drag: (t, e, what) => {
      if (what === "start") {
        dragged.current = t;
        e.dataTransfer.effectAllowed = "move";
        return;
      }
      if (!dragged.current) return;
      e.preventDefault();
      if (what === "drop" && dragged.current !== t) void doIt({ kind: "orderTracks", command: { tracks: [dragged.current], above: t } });
    },
  });
}

function NothingYet({ production }: { production: string }) {
  return (
    <div className="absolute inset-x-0 top-24 z-10 flex flex-col items-center gap-2 px-6 text-center">
      <b className="text-lg">Nothing is on this reel yet</b>
      <p className="max-w-sm text-muted">
        Unravel takes onto it under{" "}
        <Link className="font-semibold text-ink underline" to={`/p/${production}/takes`}>
          Takes
        </Link>
        : each microphone becomes a track of its own.
      </p>
    </div>
  );
}

function NoOutputs({ view, onChoose, onDo }: { view: ReelView; onChoose: () => void; onDo: (c: Command) => Promise<unknown> }) {
  return (
    <div className="flex flex-col items-start gap-3 px-5 py-6">
      <b>No outputs yet</b>
      <p className="text-[13px] text-muted">A delivery spec says which output channels there are and which stems feed them.</p>
      <button className="pill-act" onClick={onChoose}>
        Choose a delivery spec
      </button>
      {view.tracks.length > 0 && (
        <>
          <p className="pt-2 text-[13px] text-muted">Or every track goes out as it is, a file each:</p>
          <button className="pill" onClick={() => void onDo({ kind: "outputEach", command: { tracks: view.tracks.map((t) => t.id) } })}>
            An output for each track
          </button>
        </>
      )}
    </div>
  );
}
