import Form from "@rjsf/core";
import type {
  ArrayFieldItemTemplateProps,
  ArrayFieldTemplateProps,
  FieldTemplateProps,
  IconButtonProps,
  MultiSchemaFieldTemplateProps,
  ObjectFieldTemplateProps,
  RJSFSchema,
  UiSchema,
  WidgetProps,
} from "@rjsf/utils";
import { ArrowDown, ArrowUp, Copy, Plus, Trash2 } from "lucide-react";
import { useMemo, type ReactNode } from "react";

import { formSchema, groupsOf, pruned, specCheck } from "./speccheck";

/** The fields of a spec, made of its JSON schema. */
export function SpecForm({ schema, data, onData }: { schema: RJSFSchema; data: unknown; onData: (data: unknown) => void }) {
  const groups = groupsOf(data).join(" ");
  const form = useMemo(() => formSchema(schema, groups ? groups.split(" ") : []), [schema, groups]);
  return (
    <Form
      className="spec-form"
      schema={form}
      uiSchema={ui}
      formData={data}
      validator={specCheck}
      templates={templates}
      widgets={{ CheckboxWidget: Tick }}
      liveValidate="onChange"
      showErrorList={false}
      noHtml5Validate
      tagName="div"
      idSeparator="."
      experimental_defaultFormStateBehavior={{ emptyObjectFields: "skipEmptyDefaults", constAsDefaults: "skipOneOf" }}
      onChange={(e) => onData(pruned(e.formData))}
    />
  );
}

const ui: UiSchema = {
  "ui:order": ["spec", "id", "title", "receiver", "about", "programme", "mixes", "groups", "packaging", "files", "limits", "checks"],
  "ui:submitButtonOptions": { norender: true },
  spec: { "ui:widget": "hidden" },
  about: { "ui:widget": "textarea" },
};

/** Labels as people read them: frameRate is frame rate. */
const said = (name: string) =>
  name.replace(/([a-z])([A-Z])/g, (_, a: string, b: string) => `${a} ${b.toLowerCase()}`).replace(/-(\d+)$/, " $1");

function Field({ id, label, required, rawErrors, rawDescription, schema, hidden, children }: FieldTemplateProps) {
  if (hidden) return <div className="hidden">{children}</div>;
  const nested = schema.type === "object" || schema.type === "array";
  if (nested) return <div className="col-span-2">{children}</div>;
  return (
    <>
      <label htmlFor={id} className="pt-1 text-[13px] text-muted">
        {said(label)}
        {required && (
          <span role="img" aria-label="needed">
            {" "}
            *
          </span>
        )}
      </label>
      <div className="min-w-0">
        {children}
        {rawErrors?.map((e) => (
          <p key={e} className="text-[12px] text-wrong" role="alert">
            {e}
          </p>
        ))}
        {rawDescription && <p className="text-[12px] text-muted">{rawDescription}</p>}
      </div>
    </>
  );
}

/** Its label and what it means stand beside it already. */
const Tick = ({ id, value, onChange, label }: WidgetProps) => (
  <input
    type="checkbox"
    id={id}
    className="mt-1.5 accent-act"
    aria-label={said(label)}
    checked={value === true}
    onChange={(e) => onChange(e.target.checked || undefined)}
  />
);

/** A choice of one of several things, and the fields of the one that is chosen. */
const Choice = ({ selector, optionSchemaField }: MultiSchemaFieldTemplateProps) => (
  <div className="flex flex-col gap-1.5">
    <label>
      <span className="sr-only">Which of them</span>
      {selector}
    </label>
    {optionSchemaField}
  </div>
);

const Grid = ({ children }: { children: ReactNode }) => <div className="grid grid-cols-[130px_1fr] gap-x-3 gap-y-1.5">{children}</div>;

function ObjectField({ title, description, properties, fieldPathId }: ObjectFieldTemplateProps) {
  const fields = <Grid>{properties.filter((p) => !p.hidden).map((p) => p.content)}</Grid>;
  if (fieldPathId.path.length === 0 || typeof fieldPathId.path.at(-1) === "number") return fields;
  return (
    <details open={fieldPathId.path.length > 1} className="rounded-md border border-line px-3 py-2">
      <summary className="cursor-pointer font-semibold first-letter:uppercase">
        {said(title)} {description && <span className="font-normal text-[12px] text-muted">{description}</span>}
      </summary>
      <div className="mt-2">{fields}</div>
    </details>
  );
}

function ArrayField({ title, schema, items, canAdd, onAddClick, fieldPathId }: ArrayFieldTemplateProps) {
  const top = fieldPathId.path.length === 1;
  return (
    <section className={top ? "mt-2 border-t border-line pt-2" : ""} aria-label={said(title)}>
      <div className="flex items-baseline gap-2">
        <h3 className={`first-letter:uppercase ${top ? "font-bold" : "text-[13px] text-muted"}`}>{said(title)}</h3>
        {schema.description && <span className="grow text-[12px] text-muted">{schema.description}</span>}
        {canAdd && (
          <button type="button" className="pill h-6 shrink-0 px-2 text-[12px]" aria-label={`Add to ${said(title)}`} onClick={onAddClick}>
            <Plus size={12} /> add
          </button>
        )}
      </div>
      {items}
    </section>
  );
}

function ArrayItem({ children, buttonsProps: b, hasToolbar, index }: ArrayFieldItemTemplateProps) {
  return (
    <div className="mt-1.5 flex gap-2 rounded-md border border-line bg-ground px-3 py-2">
      <div className="min-w-0 grow">{children}</div>
      {hasToolbar && (
        <div className="flex shrink-0 flex-col">
          <Tool label={`Up: ${index + 1}`} disabled={!b.hasMoveUp} onClick={b.onMoveUpItem}>
            <ArrowUp size={13} />
          </Tool>
          <Tool label={`Down: ${index + 1}`} disabled={!b.hasMoveDown} onClick={b.onMoveDownItem}>
            <ArrowDown size={13} />
          </Tool>
          <Tool label={`Take ${index + 1} away`} onClick={b.onRemoveItem}>
            <Trash2 size={13} />
          </Tool>
        </div>
      )}
    </div>
  );
}

function Tool({
  label,
  disabled,
  onClick,
  children,
}: {
  label: string;
  disabled?: boolean;
  onClick: (e?: never) => void;
  children: ReactNode;
}) {
  return (
    <button
      type="button"
      className="flex h-5 w-5 cursor-pointer items-center justify-center text-muted hover:text-ink disabled:opacity-30"
      aria-label={label}
      title={label}
      disabled={disabled}
      onClick={() => onClick()}
    >
      {children}
    </button>
  );
}

const icon = (label: string, what: ReactNode) =>
  function Icon({ onClick, disabled }: IconButtonProps) {
    return (
      <button type="button" className="pill h-6 px-2" aria-label={label} title={label} disabled={disabled} onClick={onClick}>
        {what}
      </button>
    );
  };

const templates = {
  FieldTemplate: Field,
  ObjectFieldTemplate: ObjectField,
  ArrayFieldTemplate: ArrayField,
  ArrayFieldItemTemplate: ArrayItem,
  MultiSchemaFieldTemplate: Choice,
  ButtonTemplates: {
    AddButton: icon("Add", <Plus size={12} />),
    CopyButton: icon("Copy", <Copy size={12} />),
    RemoveButton: icon("Take away", <Trash2 size={12} />),
    MoveUpButton: icon("Up", <ArrowUp size={12} />),
    MoveDownButton: icon("Down", <ArrowDown size={12} />),
  },
};
