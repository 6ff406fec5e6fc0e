/**
 * Forms: react-hook-form held to the endpoint's own schema, so that the browser says of a field what the server
 * would. What the server refuses of a field lands on that field; unsaved changes are warned of before one leaves.
 */
import { zodResolver } from '@hookform/resolvers/zod';
import { useEffect, useId, type ComponentProps, type ReactNode } from 'react';
import {
  useForm,
  type DefaultValues,
  type FieldErrors,
  type FieldPath,
  type FieldValues,
  type RegisterOptions,
  type UseFormReturn,
} from 'react-hook-form';
import type { z } from 'zod';
import { ApiError } from '../frame/api.ts';
import { Trouble } from './marks.tsx';

interface Form<T extends FieldValues> extends UseFormReturn<T> {
  /** Sends it where it fits the schema. */
  submit: (e?: React.BaseSyntheticEvent) => void;
}

/**
 * A form of a schema's fields. `send` is called with what fits; what it throws is shown. When it is done, what was sent
 * counts as saved, and the form shows what `send` resolves with, or what was sent.
 */
export function useSchemaForm<T extends FieldValues>(
  schema: z.ZodType<T, T>,
  defaults: DefaultValues<T>,
  send: (values: T) => Promise<T | void>,
): Form<T> {
  const form = useForm<T>({ resolver: zodResolver(schema), defaultValues: defaults, mode: 'onTouched' });
  const { isDirty } = form.formState;
  useEffect(() => {
    if (!isDirty) return;
    const warn = (e: BeforeUnloadEvent) => e.preventDefault();
    addEventListener('beforeunload', warn);
    return () => removeEventListener('beforeunload', warn);
  }, [isDirty]);
  const submit = (e?: React.BaseSyntheticEvent): void =>
    void form.handleSubmit(async (values) => {
      try {
        form.reset((await send(values)) ?? values);
      } catch (error) {
        refuse(form, error);
      }
    })(e);
  return { ...form, submit };
}

/** Puts what the server refused on the fields that it names, or on the form as a whole. */
function refuse<T extends FieldValues>(form: UseFormReturn<T>, error: unknown): void {
  const known = Object.keys(form.getValues());
  const fields = error instanceof ApiError ? error.fields : [];
  const named = fields.filter((f) => known.includes(f.pointer.split('/')[0]!));
  for (const { pointer, detail } of named)
    form.setError(pointer.replaceAll('/', '.') as FieldPath<T>, { type: 'server', message: detail });
  if (named.length < fields.length || !named.length)
    form.setError('root', {
      type: 'server',
      message: error instanceof Error ? error.message : String(error),
    });
}

/** A labelled field with what is wrong with it. The input is given its id and how it is described. */
export function Field<T extends FieldValues>({
  form,
  name,
  label,
  hint,
  look = '',
  children,
}: {
  form: UseFormReturn<T>;
  name: FieldPath<T>;
  label: ReactNode;
  hint?: ReactNode;
  look?: string;
  children: (input: {
    id: string;
    'aria-invalid': boolean;
    'aria-describedby': string | undefined;
  }) => ReactNode;
}) {
  const message = messageAt(form.formState.errors, name);
  // two forms of one page may have a field of the same name
  const id = `field-${useId()}`;
  return (
    <div className={`flex flex-col gap-1 ${look}`}>
      <label htmlFor={id}>{label}</label>
      {children({
        id,
        'aria-invalid': message !== undefined,
        'aria-describedby': message !== undefined ? `${id}-wrong` : undefined,
      })}
      {hint && <span className="text-xs text-quiet">{hint}</span>}
      {message !== undefined && (
        <span id={`${id}-wrong`} role="alert" className="text-xs text-error">
          {message[0]?.toUpperCase()}
          {message.slice(1)}
        </span>
      )}
    </div>
  );
}

/** A field that is one input, registered with its form; what else is given is the input’s. `rules`: how its value is read. */
export function TextField<T extends FieldValues>({
  form,
  name,
  label,
  hint,
  look,
  rules,
  className = 'input w-full',
  ...more
}: Omit<ComponentProps<'input'>, 'form' | 'name'> & {
  form: UseFormReturn<T>;
  name: FieldPath<T>;
  label: ReactNode;
  hint?: ReactNode;
  look?: string;
  rules?: RegisterOptions<T>;
}) {
  return (
    <Field form={form} name={name} label={label} hint={hint} {...(look && { look })}>
      {(input) => <input {...input} className={className} {...more} {...form.register(name, rules)} />}
    </Field>
  );
}

function messageAt(errors: FieldErrors, name: string): string | undefined {
  const at = name
    .split('.')
    .reduce<unknown>((e, k) => (e as Record<string, unknown> | undefined)?.[k], errors);
  return (at as { message?: string } | undefined)?.message;
}

/** What is wrong with the form as a whole. */
export const FormTrouble = <T extends FieldValues>({ form }: { form: UseFormReturn<T> }) => {
  const { root } = form.formState.errors;
  return root?.message ? <Trouble error={root.message} /> : null;
};
